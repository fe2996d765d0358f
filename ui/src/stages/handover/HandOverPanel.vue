<script setup lang="ts">
import { useSharing } from "../../stores/sharing";
import { useDeskContext, type HandoverTab } from "../../desk/state/context";
import TabBar from "../../desk/widgets/TabBar.vue";
import TabPanel from "../../desk/widgets/TabPanel.vue";
import DetailsTab from "./DetailsTab.vue";
import FeedTab from "./FeedTab.vue";
import FilesTab from "./FilesTab.vue";
import ShareTab from "./ShareTab.vue";

const sharing = useSharing();
const desk = useDeskContext();
const tabs: { key: HandoverTab; name: string }[] = [
  { key: "files", name: "Files" },
  { key: "details", name: "Details" },
  { key: "share", name: "Share" },
  { key: "feed", name: "Feed" },
];
const views = { files: FilesTab, details: DetailsTab, share: ShareTab, feed: FeedTab };
</script>

<template>
  <h2>Hand over</h2>
  <TabBar v-model="desk.handoverTab.value" :tabs="tabs" label="What to hand over" prefix="handover">
    <template #mark="{ tab: key }">
      <span v-if="key === 'share' && sharing.waiting" class="waiting">&nbsp;{{ sharing.waiting }}</span>
    </template>
  </TabBar>
  <TabPanel prefix="handover" :current="desk.handoverTab.value"
    ><component :is="views[desk.handoverTab.value]"
  /></TabPanel>
</template>

<style scoped>
h2 {
  font-size: var(--type-head);
}
.waiting {
  font-weight: 700;
}
</style>
