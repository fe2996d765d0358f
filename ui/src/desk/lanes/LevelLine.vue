<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { placeOf } from "../../drawing/level";
import { strokesOf } from "../../drawing/line";
import { placeOfPoint } from "../../drawing/outline";
import { keyNames } from "../../model/machine";
import { levelText, LOUDEST, percentText, SILENCE, timeText } from "../../model/units";
import { useDeskContext } from "../state/context";
import { usePointing } from "./pointing";

/** A level line that can be taken hold of: that of a clip, or that of a track over its lane. */
const props = defineProps<{
  /** The clip or the track. */
  id: string;
  points: Schema["Point"][];
  /** The session time at which the line's own time is 0, and the one at the left edge of the box. */
  zero: number;
  edge: number;
  width: number;
  height: number;
  chosen: boolean;
}>();
const desk = useDeskContext();
const { timeOf, selected, select, pressLine, pressPoint, key } = usePointing(desk, props);
const xOf = (time: number) => (time - props.edge) / desk.time.laid.scale;

const shown = computed(() =>
  props.points
    .map((p, index) => ({ ...p, index, x: xOf(timeOf(p.at)) }))
    .filter((p) => p.x >= -1 && p.x <= props.width + 1),
);

/** The line's points without Vue's tracking, which would be paid for at every step of the path. */
const plain = computed(() => props.points.map((p) => ({ at: p.at, level: p.level, bend: p.bend })));

const path = computed(() =>
  strokesOf(plain.value, props.edge - props.zero, desk.time.laid.scale, props.width, props.height)
    .map(([x, y], i) => `${i ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`)
    .join(""),
);

/** The ramp that is being drawn, as a line. */
const ramp = computed(() => {
  const r = desk.ramp.value;
  if (r?.line !== props.id) return undefined;
  const place = (time: number, level: number) =>
    `${xOf(time).toFixed(1)} ${(placeOf(level) * props.height).toFixed(1)}`;
  return `M${place(r.from, r.start)}L${place(r.to, r.level)}`;
});
</script>

<template>
  <svg class="level-line" :width="width" :height="height" :class="{ chosen }">
    <path class="edge" :d="path" />
    <path class="line" :d="path" />
    <path class="hit" :d="path" aria-hidden="true" @pointerdown="pressLine">
      <title>Click to add a point; with {{ keyNames("Ctrl") }}, draw a ramp</title>
    </path>
    <path v-if="ramp" class="ramp" :d="ramp" />
    <circle
      v-for="p in shown"
      :key="`reach ${p.index}`"
      class="reached"
      :cx="p.x"
      :cy="placeOfPoint(p.level, height) + 4.5"
      r="12"
      @pointerdown="pressPoint($event, p.at)"
    />
    <rect
      v-for="p in shown"
      :key="p.index"
      class="point"
      :class="{ selected: selected(p.at) }"
      :x="p.x - 4.5"
      :y="placeOfPoint(p.level, height)"
      width="9"
      height="9"
      rx="2"
      tabindex="-1"
      role="slider"
      :aria-label="`Point at ${timeText(timeOf(p.at))}`"
      :aria-valuenow="p.level"
      :aria-valuemin="SILENCE"
      :aria-valuemax="LOUDEST"
      :aria-valuetext="`${levelText(p.level)}, ${percentText(p.level)}`"
      @focus="!selected(p.at) && select([p.at])"
      @pointerdown="pressPoint($event, p.at)"
      @keydown="key($event, p.at)"
    />
  </svg>
</template>

<style scoped>
svg {
  position: absolute;
  inset: 0;
  pointer-events: none;
}
path {
  fill: none;
}
/* An edge of paper parts the line from the wave that it crosses. */
.edge {
  stroke: var(--sheet);
  stroke-width: 4.5;
}
.line {
  stroke: var(--ink);
  stroke-width: 1.5;
}
.chosen .line {
  stroke-width: 2;
}
.ramp {
  stroke: var(--ink);
  stroke-width: 2;
  stroke-dasharray: 3 3;
}
.hit {
  stroke: transparent;
  stroke-width: 11;
  pointer-events: stroke;
  touch-action: none;
  cursor: copy;
}
.reached {
  fill: transparent;
  pointer-events: all;
  touch-action: none;
  cursor: move;
}
.point {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 1.5;
  pointer-events: all;
  touch-action: none;
  cursor: move;
}
.point.selected {
  fill: var(--ink);
}
</style>
