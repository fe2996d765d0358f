<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../api/client";
import { levelAt, levelOfPlace, placeOf } from "../drawing/level";
import { levelText, LOUDEST, percentText, SILENCE, timeText } from "../model/units";
import { useDesk } from "../stores/desk";
import { useDeskContext } from "./context";
import { newGesture, startDrag } from "./drag";
import { snap, snapPlaces } from "./snap";

const props = defineProps<{
  id: string;
  clip: Schema["Clip"];
  lead: number;
  width: number;
  height: number;
  chosen: boolean;
}>();
const store = useDesk();
const desk = useDeskContext();

/** Session time of a point: its own time is counted from the beginning of the sound. */
const session = (at: number) => props.clip.start + at - props.clip.offset;
const x = (at: number) => (at - props.clip.offset - props.lead) / desk.time.scale;
const y = (level: number) => placeOf(level) * props.height;

const points = computed(() =>
  props.clip.envelope
    .map((p, index) => ({ ...p, index, x: x(p.at), y: y(p.level) }))
    .filter(
      (p) =>
        p.x >= -6 &&
        p.x <= props.width + 6 &&
        p.at >= props.clip.offset &&
        p.at <= props.clip.offset + props.clip.length,
    ),
);

/** The line's points without Vue's tracking, which would be paid for at every step of the path. */
const plain = computed(() => props.clip.envelope.map((p) => ({ at: p.at, level: p.level })));

const path = computed(() => {
  const line = plain.value;
  if (line.length === 0) return `M0 ${y(0).toFixed(1)}L${props.width} ${y(0).toFixed(1)}`;
  const xs = new Set<number>([0, props.width]);
  for (let at = 0; at < props.width; at += 6) xs.add(at);
  for (const p of points.value) xs.add(p.x);
  const { scale } = desk.time;
  const first = props.lead + props.clip.offset;
  return [...xs]
    .sort((a, b) => a - b)
    .map((px, i) => `${i ? "L" : "M"}${px.toFixed(1)} ${y(levelAt(line, first + px * scale)).toFixed(1)}`)
    .join("");
});

function selected(index: number): boolean {
  return desk.selection.line === props.id && desk.selection.points.includes(index);
}

function select(index: number, add = false): void {
  const { selection } = desk;
  selection.clips = [props.id];
  if (selection.line !== props.id) selection.points = [];
  selection.line = props.id;
  selection.points = add ? [...new Set([...selection.points, index])] : [index];
}

function tag(event: PointerEvent, at: number, level: number): void {
  const text = `${timeText(session(at))}  ${levelText(level, true)}  ${percentText(level)}`;
  desk.tag.value = { x: event.clientX, y: event.clientY, text };
}

/** A press on the line puts a point there; going on to drag moves it. */
async function pressLine(event: PointerEvent): Promise<void> {
  if (event.button !== 0) return;
  const svg = (event.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
  const at = Math.round(props.clip.offset + props.lead + (event.clientX - svg.left) * desk.time.scale);
  const level = round(levelAt(props.clip.envelope, at));
  const gesture = newGesture();
  const added = store.edit({ type: "add-point", clip: props.id, at, level }, gesture);
  dragPoint(event, { at, level }, gesture, added);
  if (await added) select(props.clip.envelope.findIndex((p) => p.at === at));
}

function pressPoint(event: PointerEvent, index: number): void {
  if (event.button !== 0) return;
  select(index, event.shiftKey);
  dragPoint(event, props.clip.envelope[index]!, newGesture());
}

function dragPoint(
  event: PointerEvent,
  origin: { at: number; level: number },
  gesture: string,
  added?: Promise<unknown>,
): void {
  const places = snapPlaces(store.document!, desk.playhead.value);
  // Which point is dragged is known by its place among the others, which it cannot pass.
  const index = props.clip.envelope.filter((p) => p.at < origin.at).length;
  const startY = placeOf(origin.level);
  startDrag(event, {
    move: async ({ dx, dy, event: e }) => {
      let at = origin.at + dx * desk.time.scale;
      at += snap(desk, places, [session(at)], e.altKey);
      const fine = e.shiftKey ? 0.1 : 1;
      const level = round(levelOfPlace(Math.min(1, Math.max(0, startY + (dy * fine) / props.height))));
      tag(e, at, level);
      await added;
      void store.edit({ type: "move-point", clip: props.id, index, at: Math.round(at), level }, gesture);
    },
    end: () => (desk.tag.value = desk.guide.value = undefined),
  });
}

function round(level: number): number {
  return level <= SILENCE ? SILENCE : Math.round(level * 10) / 10;
}

function key(event: KeyboardEvent, index: number): void {
  const p = props.clip.envelope[index]!;
  const [dB, ms] = event.shiftKey ? [0.1, 100] : [1, 10];
  const step: Record<string, [number, number]> = {
    ArrowUp: [0, dB],
    ArrowDown: [0, -dB],
    ArrowLeft: [-ms * 48, 0],
    ArrowRight: [ms * 48, 0],
  };
  if (event.key === "Delete" || event.key === "Backspace") {
    const indices = selected(index) ? desk.selection.points : [index];
    desk.selection.points = [];
    void store.edit({ type: "remove-points", clip: props.id, indices });
  } else if (step[event.key]) {
    const [by, up] = step[event.key]!;
    void store.edit({
      type: "move-point",
      clip: props.id,
      index,
      at: p.at + by,
      level: round(Math.min(LOUDEST, p.level + up)),
    });
  } else return;
  event.preventDefault();
  event.stopPropagation();
}
</script>

<template>
  <svg :width="width" :height="height" :class="{ chosen }">
    <path class="line" :d="path" />
    <path class="hit" :d="path" @pointerdown="pressLine"><title>Click to add a point</title></path>
    <rect
      v-for="p in points"
      :key="p.index"
      class="point"
      :class="{ selected: selected(p.index) }"
      :x="p.x - 4.5"
      :y="Math.min(height - 9, Math.max(0, p.y - 4.5))"
      width="9"
      height="9"
      rx="2"
      tabindex="0"
      role="slider"
      :aria-label="`Point at ${timeText(session(p.at))}`"
      :aria-valuenow="p.level"
      :aria-valuemin="SILENCE"
      :aria-valuemax="LOUDEST"
      :aria-valuetext="`${levelText(p.level)}, ${percentText(p.level)}`"
      @focus="!selected(p.index) && select(p.index)"
      @pointerdown="pressPoint($event, p.index)"
      @keydown="key($event, p.index)"
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
.line {
  stroke: var(--ink);
  stroke-width: 1.5;
  opacity: 0.75;
}
.chosen .line {
  stroke-width: 2;
  opacity: 1;
}
.hit {
  stroke: transparent;
  stroke-width: 11;
  pointer-events: stroke;
  cursor: copy;
}
.point {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 1.5;
  pointer-events: all;
  cursor: move;
}
.point.selected {
  fill: var(--ink);
}
</style>
