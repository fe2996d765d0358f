<script setup lang="ts">
import { computed, onBeforeUnmount } from "vue";
import { useDeskContext, type GatherTab } from "../../desk/context";
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

function step(event: KeyboardEvent): void {
  const by = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
  if (!by) return;
  event.preventDefault();
  const at = tabs.findIndex((t) => t.key === desk.gatherTab.value);
  const next = tabs[(at + by + tabs.length) % tabs.length]!;
  desk.gatherTab.value = next.key;
  document.getElementById(`tab-${next.key}`)?.focus();
}
onBeforeUnmount(() => desk.hearing.stop());
</script>

<template>
  <h2>Gather</h2>
  <div class="tabs" role="tablist" aria-label="What to gather" @keydown="step">
    <button
      v-for="t in tabs"
      :id="`tab-${t.key}`"
      :key="t.key"
      role="tab"
      :aria-selected="desk.gatherTab.value === t.key"
      :tabindex="desk.gatherTab.value === t.key ? 0 : -1"
      @click="desk.gatherTab.value = t.key"
    >
      {{ t.name
      }}<span v-if="t.key === 'record' && lost > 0" class="mark" :title="`${lost} to be rescued`">{{ lost }}</span>
    </button>
  </div>
  <p v-if="desk.hearing.state.problem" class="alarm" role="alert">{{ desk.hearing.state.problem }}</p>
  <component :is="views[desk.gatherTab.value]" />
</template>

<style scoped>
h2 {
  font-size: 16px;
}
.tabs {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  margin: 10px 0 12px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius);
  overflow: hidden;
}
.tabs button {
  padding: 5px 0;
  border: 0;
  border-right: 1px solid var(--rule-strong);
  background: none;
  font-size: 13px;
  cursor: pointer;
}
.tabs button:last-child {
  border-right: 0;
}
.tabs button[aria-selected="true"] {
  background: var(--ink);
  color: var(--ink-inverse);
  font-weight: 600;
}
.tabs button:focus-visible {
  outline-offset: -3px;
}
.mark {
  margin-left: 5px;
  padding: 0 5px;
  border-radius: 8px;
  background: var(--alarm);
  color: var(--ink-inverse);
  font-size: 11px;
}
</style>
