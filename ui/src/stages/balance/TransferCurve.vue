<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { compressed, expanded } from "../../drawing/level";

/** What a treatment at rest makes of a steady level: from left to right as it comes in, upwards as it goes out. */
const props = defineProps<{ treatment: Schema["Treatment"] }>();
const LOWEST = -72;
const SIZE = 140;
const place = (level: number) => Math.min(1, Math.max(0, (level - LOWEST) / -LOWEST)) * SIZE;

function out(level: number): number {
  const { gate, expander, compressor, limiter } = props.treatment;
  let now = level;
  if (gate?.on && level < gate.open) now -= gate.range;
  if (expander?.on) now += expanded(expander, now);
  if (compressor?.on) now += compressed(compressor, now) + compressor.makeUp;
  return limiter?.on ? Math.min(now, limiter.ceiling) : now;
}

const line = computed(() => {
  const points = Array.from({ length: 4 * -LOWEST + 1 }, (_, i) => LOWEST + i / 4);
  return points.map((level) => `${place(level).toFixed(1)},${(SIZE - place(out(level))).toFixed(1)}`).join(" ");
});
/** The thresholds, on the axis of what comes in. */
const marks = computed(() => {
  const { gate, expander, compressor } = props.treatment;
  return [
    ...(gate?.on ? [{ name: "gate", at: gate.open }] : []),
    ...(expander?.on ? [{ name: "expander", at: expander.threshold }] : []),
    ...(compressor?.on ? [{ name: "compressor", at: compressor.threshold }] : []),
  ];
});
</script>

<template>
  <figure>
    <svg
      :viewBox="`0 0 ${SIZE} ${SIZE}`"
      role="img"
      :aria-label="`Transfer curve with the thresholds ${marks.map((m) => `of the ${m.name} at ${m.at} dB`).join(', ')}`"
    >
      <line x1="0" :y1="SIZE" :x2="SIZE" y2="0" class="same" />
      <line v-for="m in marks" :key="m.name" :x1="place(m.at)" :x2="place(m.at)" y1="0" :y2="SIZE" class="mark" />
      <polyline :points="line" class="curve" />
    </svg>
    <figcaption class="soft">
      <span>out ↑, in →, {{ -LOWEST }} dB each way</span>
      <span v-for="m in marks" :key="m.name" class="figures">{{ m.name }} {{ m.at.toFixed(1).replace("-", "−") }}</span>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  display: flex;
  gap: 12px;
  margin: 8px 0;
}
svg {
  flex: none;
  width: 140px;
  height: 140px;
  border: 1px solid var(--rule-strong);
  border-radius: 6px;
  background: var(--paper);
}
.same {
  stroke: var(--rule-strong);
}
.mark {
  stroke: var(--ink-soft);
  stroke-dasharray: 3 3;
}
.curve {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
}
figcaption {
  display: grid;
  align-content: start;
  gap: 4px;
  font-size: 11.5px;
}
</style>
