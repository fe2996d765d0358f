<script setup lang="ts">
import { onBeforeUnmount } from "vue";
import { useDeskContext, type ArrangeTab } from "../../desk/state/context";
import TabBar from "../../desk/widgets/TabBar.vue";
import TabPanel from "../../desk/widgets/TabPanel.vue";
import FitTab from "./FitTab.vue";
import HistoryTab from "./HistoryTab.vue";
import MarksTab from "./MarksTab.vue";
import OrderTab from "./OrderTab.vue";
import PausesTab from "./PausesTab.vue";

const desk = useDeskContext();
const tabs: { key: ArrangeTab; name: string }[] = [
  { key: "order", name: "Order" },
  { key: "marks", name: "Markers" },
  { key: "pauses", name: "Pauses" },
  { key: "fit", name: "Fit" },
  { key: "past", name: "History" },
];
const views = { order: OrderTab, marks: MarksTab, pauses: PausesTab, fit: FitTab, past: HistoryTab };
onBeforeUnmount(() => desk.hearing.stop());
</script>

<template>
  <h2>Arrange</h2>
  <TabBar v-model="desk.arrangeTab.value" :tabs="tabs" label="What to arrange" prefix="arrange" />
  <p v-if="desk.hearing.state.problem" class="alarm" role="alert">{{ desk.hearing.state.problem }}</p>
  <TabPanel prefix="arrange" :current="desk.arrangeTab.value"
    ><component :is="views[desk.arrangeTab.value]"
  /></TabPanel>
</template>

<style scoped>
h2 {
  font-size: var(--type-head);
}
</style>
