<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../api/client";
import { levelAt, levelOfPlace, placeOf } from "../drawing/level";
import { strokesOf } from "../drawing/line";
import { placeOfPoint } from "../drawing/outline";
import { levelText, LOUDEST, percentText, SILENCE, timeText } from "../model/units";
import { useSession } from "../stores/session";
import { useDeskContext } from "./context";
import { newGesture, startDrag } from "./drag";
import { MovingPoint } from "./movingPoint";
import { snap, snapPlaces } from "./snap";

const props = defineProps<{
  id: string;
  clip: Schema["Clip"];
  lead: number;
  width: number;
  height: number;
  chosen: boolean;
}>();
const session = useSession();
const desk = useDeskContext();

/** Session time of a point: its own time is counted from the beginning of the sound. */
const timeOf = (at: number) => props.clip.start + at - props.clip.offset;
const x = (at: number) => (at - props.clip.offset - props.lead) / desk.time.laid.scale;

const points = computed(() =>
  props.clip.envelope
    .map((p, index) => ({ ...p, index, x: x(p.at) }))
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
  const first = props.lead + props.clip.offset;
  return strokesOf(plain.value, first, desk.time.laid.scale, props.width, props.height)
    .map(([px, py], i) => `${i ? "L" : "M"}${px.toFixed(1)} ${py.toFixed(1)}`)
    .join("");
});

function selected(at: number): boolean {
  return desk.selection.line === props.id && desk.selection.points.includes(at);
}

function select(points: number[]): void {
  Object.assign(desk.selection, { clips: [props.id], line: props.id, points });
}

function tag(event: PointerEvent, at: number, level: number): void {
  const text = `${timeText(timeOf(at))}  ${levelText(level, true)}  ${percentText(level)}`;
  desk.tag.value = { x: event.clientX, y: event.clientY, text };
}

/** A press on the line puts a point there; going on to drag moves it. */
function pressLine(event: PointerEvent): void {
  if (event.button !== 0) return;
  const svg = (event.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
  const at = Math.round(props.clip.offset + props.lead + (event.clientX - svg.left) * desk.time.scale);
  const level = round(levelAt(props.clip.envelope, at));
  const gesture = newGesture();
  void session
    .edit({ type: "add-points", points: [{ clip: props.id, at, level }] }, gesture)
    .then((c) => c && select([at]));
  dragPoint(event, { at, level }, gesture);
}

function pressPoint(event: PointerEvent, p: { at: number; level: number }): void {
  if (event.button !== 0) return;
  select(event.shiftKey ? [...new Set([...desk.selection.points, p.at])] : [p.at]);
  dragPoint(event, p, newGesture());
}

function dragPoint(event: PointerEvent, origin: { at: number; level: number }, gesture: string): void {
  const places = snapPlaces(session.document!, desk);
  const startY = placeOf(origin.level);
  const point = new MovingPoint(props.id, origin.at, (at) => select([at]));
  startDrag(event, {
    move: ({ dx, dy, event: e }) => {
      let at = origin.at + dx * desk.time.scale;
      at += snap(desk, places, [timeOf(at)], e.altKey);
      const fine = e.shiftKey ? 0.1 : 1;
      const level = round(levelOfPlace(Math.min(1, Math.max(0, startY + (dy * fine) / props.height))));
      const held = point.held(at);
      tag(e, held, level);
      void session.edit(() => point.move(held, level), gesture).then(() => point.arrived());
    },
    end: () => (desk.tag.value = desk.guide.value = undefined),
  });
}

function round(level: number): number {
  return level <= SILENCE ? SILENCE : Math.round(level * 10) / 10;
}

/** Keys move the chosen points, or the one in focus if it is none of them. */
function key(event: KeyboardEvent, at: number): void {
  const [dB, ms] = event.shiftKey ? [0.1, 100] : [1, 10];
  const step: Record<string, [number, number]> = {
    ArrowUp: [0, dB],
    ArrowDown: [0, -dB],
    ArrowLeft: [-ms * 48, 0],
    ArrowRight: [ms * 48, 0],
  };
  const chosen = selected(at) ? desk.selection.points : [at];
  if (event.key === "Delete" || event.key === "Backspace") {
    desk.selection.points = [];
    void session.edit({ type: "remove-points", points: chosen.map((p) => ({ clip: props.id, at: p })) });
  } else if (step[event.key]) {
    void nudge(chosen, ...step[event.key]!);
  } else return;
  event.preventDefault();
  event.stopPropagation();
}

/** Moves points by a time and a level. Which they are is kept by their places among the others, which they cannot pass. */
async function nudge(chosen: number[], by: number, up: number): Promise<void> {
  const places = props.clip.envelope.flatMap((p, index) => (chosen.includes(p.at) ? index : []));
  const points = () => {
    const line = session.clip(props.id)?.envelope ?? [];
    return places.flatMap((index) => line[index] ?? []);
  };
  await session.edit(() => {
    const moves = points().map((p) => ({
      clip: props.id,
      from: p.at,
      at: p.at + by,
      level: round(Math.min(LOUDEST, p.level + up)),
    }));
    return moves.length > 0 ? { type: "move-points", moves } : undefined;
  });
  select(points().map((p) => p.at));
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
      :class="{ selected: selected(p.at) }"
      :x="p.x - 4.5"
      :y="placeOfPoint(p.level, height)"
      width="9"
      height="9"
      rx="2"
      tabindex="0"
      role="slider"
      :aria-label="`Point at ${timeText(timeOf(p.at))}`"
      :aria-valuenow="p.level"
      :aria-valuemin="SILENCE"
      :aria-valuemax="LOUDEST"
      :aria-valuetext="`${levelText(p.level)}, ${percentText(p.level)}`"
      @focus="!selected(p.at) && select([p.at])"
      @pointerdown="pressPoint($event, p)"
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
