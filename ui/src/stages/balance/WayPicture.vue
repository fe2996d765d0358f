<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { bridgeOf, stretchNear, wayCorners } from "../../drawing/way";
import type { Way } from "../../model/way";
import { figure, lengthText, RATE } from "../../model/units";

/** How a track makes way around the phrase at the playhead, in true proportions. */
const props = defineProps<{ way: Way; settings: Schema["Way"]; at: number; voices: string[] }>();

const WIDTH = 284;
const HEIGHT = 86;
const TOP = 18;
const FOOT = 16;
/** Half of what a time takes, so that it is not cut off. */
const EDGE = 22;
const frames = (millis: number) => (millis / 1000) * RATE;

/** The stretches around the playhead over which the line stays down, as one; or where it would be up, the next of them. */
const group = computed(() => {
  const { stretches } = props.way;
  let first = stretchNear(stretches, props.at) ?? stretches.length - 1;
  if (first < 0) return undefined;
  let last = first;
  const bridge = bridgeOf(props.settings);
  while (first > 0 && stretches[first]!.from - stretches[first - 1]!.to < bridge) first--;
  while (last + 1 < stretches.length && stretches[last + 1]!.from - stretches[last]!.to < bridge) last++;
  return stretches.slice(first, last + 1);
});
const view = computed(() => {
  const g = group.value!;
  const [from, to] = [g[0]!.from, g[g.length - 1]!.to];
  const [down, up] = [frames(props.settings.down), frames(props.settings.up)];
  const beside = Math.max(down, up) * 0.25 + RATE * 0.2;
  return { from: Math.max(0, from - down - beside), to: to + up + beside };
});
const deepest = computed(() => Math.max(12, ...props.way.drops));
const x = (at: number) => ((at - view.value.from) / (view.value.to - view.value.from)) * WIDTH;
const y = (level: number) => TOP + (-level / deepest.value) * (HEIGHT - TOP - FOOT - 6);
const line = computed(() => {
  const corners = wayCorners(props.way, view.value.from, view.value.to);
  const points = [{ at: view.value.from, level: corners[0]?.level ?? 0 }, ...corners];
  points.push({ at: view.value.to, level: corners[corners.length - 1]?.level ?? 0 });
  return points.map((p) => `${x(p.at).toFixed(1)},${y(p.level).toFixed(1)}`).join(" ");
});
const deepHere = computed(() => {
  const i = props.way.stretches.indexOf(group.value![0]!);
  return Math.max(...props.way.drops.slice(i, i + group.value!.length));
});
const ends = computed(() => ({ first: x(group.value![0]!.from), last: x(group.value![group.value!.length - 1]!.to) }));
const names = computed(() => (props.voices.length > 2 ? "voices" : props.voices.join(" and ")));
</script>

<template>
  <svg v-if="group" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" role="img" :aria-label="`Goes down by ${figure(deepHere)} dB`">
    <rect
      v-for="s in group"
      :key="s.from"
      class="speech"
      :x="x(s.from)"
      :y="HEIGHT - FOOT - 8"
      :width="Math.max(1, x(s.to) - x(s.from))"
      height="8"
    />
    <line v-for="e in ends" :key="e" class="edge" :x1="e" :x2="e" :y1="TOP - 4" :y2="HEIGHT - FOOT" />
    <polyline class="way" :points="line" />
    <text :x="Math.max(EDGE, (x(group[0]!.from) + x(group[0]!.from - frames(settings.down))) / 2)" y="11">
      {{ lengthText(frames(settings.down)) }}
    </text>
    <text :x="Math.min(WIDTH - EDGE, ends.last + (WIDTH - ends.last) * 0.45)" y="11">
      {{ lengthText(frames(settings.up)) }}
    </text>
    <text v-if="deepHere >= 0.5" :x="(ends.first + ends.last) / 2" :y="y(-deepHere) - 4">
      −{{ figure(deepHere) }} dB
    </text>
    <text v-else :x="(ends.first + ends.last) / 2" :y="TOP + 16">low enough already</text>
    <text class="who" :x="(ends.first + ends.last) / 2" :y="HEIGHT - 4">{{ names }} speaking</text>
  </svg>
  <p v-else class="soft">Nobody is heard to speak yet, so there is nothing to make way for.</p>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  border-radius: var(--radius);
  background: var(--paper);
}
.speech {
  fill: var(--voice-tint);
}
.edge {
  stroke: var(--ink-soft);
  stroke-dasharray: 2 3;
}
.way {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
  stroke-linejoin: round;
}
text {
  fill: var(--ink-soft);
  font-family: var(--figures);
  font-size: var(--type-small);
  text-anchor: middle;
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
.who {
  fill: var(--voice);
  font-family: var(--text);
  font-weight: 600;
}
p {
  font-size: var(--type-hint);
}
</style>
