<script setup lang="ts">
import { computed, onBeforeUnmount } from "vue";
import { useDeskContext, type GatherTab } from "../../desk/state/context";
import TabBar from "../../desk/widgets/TabBar.vue";
import TabPanel from "../../desk/widgets/TabPanel.vue";
import { useTakes } from "../../stores/takes";
import CreditsTab from "./CreditsTab.vue";
import MusicTab from "./MusicTab.vue";
import RecordTab from "./RecordTab.vue";
import SoundsTab from "./SoundsTab.vue";

const takes = useTakes();
const desk = useDeskContext();
const tabs: { key: GatherTab; name: string }[] = [
  { key: "sounds", name: "Sounds" },
  { key: "music", name: "Music" },
  { key: "record", name: "Record" },
  { key: "credits", name: "Credits" },
];
const views = { sounds: SoundsTab, music: MusicTab, record: RecordTab, credits: CreditsTab };
/** Takes that were left unfinished wait to be rescued. */
const lost = computed(() => takes.list.filter((t) => t.state === "recording" && !t.live).length);

onBeforeUnmount(() => desk.hearing.stop());
</script>

<template>
  <h2>Gather</h2>
  <TabBar v-model="desk.gatherTab.value" :tabs="tabs" label="What to gather" prefix="tab">
    <template #mark="{ tab }">
      <span v-if="tab === 'record' && lost > 0" class="mark" :title="`${lost} to be rescued`">{{ lost }}</span>
    </template>
  </TabBar>
  <p v-if="desk.hearing.state.problem" class="alarm" role="alert">{{ desk.hearing.state.problem }}</p>
  <TabPanel prefix="tab" :current="desk.gatherTab.value"><component :is="views[desk.gatherTab.value]" /></TabPanel>
</template>

<style scoped>
h2 {
  font-size: var(--type-head);
}
.mark {
  margin-left: 5px;
  padding: 0 5px;
  border-radius: var(--radius-card);
  background: var(--alarm);
  color: var(--ink-inverse);
  font-size: var(--type-small);
}
</style>
