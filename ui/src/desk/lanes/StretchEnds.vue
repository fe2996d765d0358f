<script setup lang="ts">
import { computed } from "vue";
import { lengthText, RATE, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../state/context";
import { chooseStretch } from "../state/choosing";

/** The chosen stretch on the ruler. Its ends are moved by arrows; one end that waits for the other is a mark. */
const session = useSession();
const desk = useDeskContext();
const range = computed(() => desk.selection.range);
const place = computed(
  () =>
    range.value && {
      left: `${desk.time.x(range.value.from)}px`,
      width: `${(range.value.to - range.value.from) / desk.time.scale}px`,
    },
);
const on = computed(() => {
  const ids = range.value?.tracks;
  const names = (session.document?.tracks ?? []).filter((t) => ids?.includes(t.id)).map((t) => t.name);
  return ids ? `on ${names.join(" and ")}` : "on all tracks";
});
const told = computed(() => {
  const r = range.value;
  return r && `Chosen stretch, ${timeText(r.from)} to ${timeText(r.to)}, ${lengthText(r.to - r.from)}, ${on.value}`;
});
const waiting = computed(() => desk.mark.value && { left: `${desk.time.x(desk.mark.value.at)}px` });

const STEPS: Record<string, number> = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 };

function key(event: KeyboardEvent, end: "from" | "to"): void {
  const page = { PageDown: -RATE, PageUp: RATE }[event.key];
  const step = STEPS[event.key];
  if (!range.value || event.altKey || event.ctrlKey || event.metaKey || (!page && !step)) return;
  event.preventDefault();
  event.stopPropagation();
  const at = range.value[end] + (page ?? step! * (event.shiftKey ? RATE / 10 : RATE / 100));
  const { from, to } = range.value;
  const next = end === "from" ? { from: Math.max(0, Math.min(at, to - 1)), to } : { from, to: Math.max(at, from + 1) };
  chooseStretch(desk, session, { ...next, tracks: range.value.tracks });
}
</script>

<template>
  <div
    v-if="range"
    class="chosen"
    role="gridcell"
    tabindex="-1"
    data-stop="stretch"
    data-holds
    :aria-label="told"
    :style="place"
  >
    <span
      v-for="end in ['from', 'to'] as const"
      :key="end"
      class="end"
      :class="end"
      role="slider"
      tabindex="-1"
      :aria-label="end === 'from' ? 'Start of the stretch' : 'End of the stretch'"
      :aria-valuemin="end === 'from' ? 0 : range.from / RATE"
      :aria-valuemax="end === 'from' ? range.to / RATE : Math.max(session.length, range.to) / RATE"
      :aria-valuenow="range[end] / RATE"
      :aria-valuetext="timeText(range[end])"
      @keydown="key($event, end)"
    ></span>
  </div>
  <span v-if="waiting" class="waiting" :class="desk.mark.value!.end" :style="waiting" aria-hidden="true"></span>
</template>

<style scoped>
.chosen {
  position: absolute;
  inset-block: 0;
  background: var(--stretch);
  pointer-events: none;
}
.end {
  position: absolute;
  inset-block: 0;
  width: 0;
  border-left: 2px solid var(--ink);
}
.end.to {
  right: 0;
}
/* One end that waits for the other: a corner at its side. */
.waiting {
  position: absolute;
  inset-block: 0;
  width: 8px;
  border: 2px solid var(--ink);
  border-right: 0;
  pointer-events: none;
}
.waiting.to {
  margin-left: -8px;
  border-right: 2px solid var(--ink);
  border-left: 0;
}
</style>
