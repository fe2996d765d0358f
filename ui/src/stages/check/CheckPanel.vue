<script setup lang="ts">
import { onBeforeUnmount } from "vue";
import { useDeskContext, type CheckTab } from "../../desk/state/context";
import TabBar from "../../desk/widgets/TabBar.vue";
import TabPanel from "../../desk/widgets/TabPanel.vue";
import CompareTab from "./CompareTab.vue";
import FindingsTab from "./FindingsTab.vue";
import LoudnessTab from "./LoudnessTab.vue";
import NotesTab from "./NotesTab.vue";

const desk = useDeskContext();
const tabs: { key: CheckTab; name: string }[] = [
  { key: "findings", name: "Findings" },
  { key: "loudness", name: "Loudness" },
  { key: "compare", name: "Compare" },
  { key: "notes", name: "Notes" },
];
const views = { findings: FindingsTab, loudness: LoudnessTab, compare: CompareTab, notes: NotesTab };
onBeforeUnmount(() => desk.hearing.stop());
</script>

<template>
  <h2>Check</h2>
  <TabBar v-model="desk.checkTab.value" :tabs="tabs" label="What to check" prefix="check" />
  <p v-if="desk.hearing.state.problem" class="alarm" role="alert">{{ desk.hearing.state.problem }}</p>
  <TabPanel prefix="check" :current="desk.checkTab.value"><component :is="views[desk.checkTab.value]" /></TabPanel>
</template>

<style scoped>
h2 {
  font-size: var(--type-head);
}
</style>
