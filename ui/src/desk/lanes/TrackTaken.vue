<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { courseHeard } from "../../drawing/courses";
import { GATES, takenBy } from "../../drawing/reduction";
import { figure } from "../../model/units";
import { useDeskContext } from "../state/context";

/** What the treatment of a track takes away at the playhead, on its card. */
const props = defineProps<{ track: Schema["Track"] }>();
const desk = useDeskContext();
const MOST_DB = 20;
const bare = computed(() => desk.bare.value.includes(props.track.id));
const now = computed(() => (bare.value ? undefined : courseHeard(props.track.id, desk.playhead.value)));
const taken = computed(() => {
  const by = now.value && takenBy(now.value, props.track.treatment);
  return by ? by.gate + by.expander + by.compressor + by.limiter : 0;
});
const gate = computed(() => GATES[now.value?.gated ?? 0]);
const transform = computed(() => `scaleX(${Math.min(1, taken.value / MOST_DB).toFixed(2)})`);
const text = computed(() =>
  bare.value
    ? "Heard without its treatment"
    : now.value
      ? `Its treatment takes ${figure(taken.value)} dB away${gate.value ? `, gate ${gate.value.word}` : ""}`
      : "Nothing sounds on it at the playhead",
);
</script>

<template>
  <span v-if="bare" class="bare" :title="text">untreated</span>
  <span v-else class="taken" :title="text" role="img" :aria-label="text">
    <span v-if="gate" class="sign" aria-hidden="true">{{ gate.sign }}</span>
    <span class="bar" aria-hidden="true"><i :style="{ transform }"></i></span>
  </span>
</template>

<style scoped>
.taken {
  display: flex;
  align-items: center;
  gap: 4px;
}
.sign {
  width: 11px;
  color: var(--took-gate);
  font-size: var(--type-small);
  line-height: 1;
}
.bar {
  width: 34px;
  height: 5px;
  border-radius: var(--radius-point);
  background: var(--rule-strong);
  overflow: hidden;
}
.bar i {
  display: block;
  height: 100%;
  background: var(--took-compressor);
  transform-origin: right; /* what is taken away grows from the top of the scale down */
  will-change: transform;
}
.bare {
  padding: 0 5px;
  border-radius: var(--radius-small);
  background: var(--ink);
  color: var(--ink-inverse);
  font-size: var(--type-small);
}
</style>
