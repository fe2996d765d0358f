<script setup lang="ts">
import { isNight } from "../../model/night";
import { computed, onBeforeUnmount, ref, useTemplateRef, watch } from "vue";
import type { Schema } from "../../api/client";
import { courseArrivals, courseChanged } from "../../drawing/courses";
import { both, changedClips, changedRow, type Span } from "../../drawing/dirty";
import { drawLane } from "../../drawing/lane";
import { arrivals } from "../../drawing/peaks";
import { drawNoMore, drawSoon } from "../../drawing/queue";
import { isTreated } from "../../drawing/reduction";
import { wayCorners } from "../../drawing/way";
import { useBalance } from "../../stores/balance";
import { useDeskContext } from "../state/context";

/**
 * All that is seen of a lane's clips, on one canvas that lies behind them: a page on which every clip is painted by
 * itself could not be scrolled smoothly. What was drawn is shifted and stretched to where it belongs until it is drawn anew.
 */
const props = defineProps<{
  track: Schema["Track"];
  /** From the back to the front. */
  clips: { id: string; clip: Schema["Clip"] }[];
  crossings: Schema["Crossing"][];
  /** Of the clips, and how far below the top of the lane they begin. */
  height: number;
  top: number;
  index: number;
  folded: boolean;
  /** It cannot be seen, nor soon: it is drawn when that changes. */
  far: boolean;
  lines: { clips: boolean; track: boolean };
}>();
const desk = useDeskContext();
const balance = useBalance();
const canvas = useTemplateRef<HTMLCanvasElement>("canvas");
/** Of what has been drawn: the session frame at its left edge. */
const drawn = ref({ from: 0, scale: 1, width: 1 });

/** What of the track all of its clips depend on, and which of them lie in front because they are chosen. */
const look = computed(() => {
  const { track, clips } = props;
  const lifted = clips.length > 1 ? desk.selection.clips.filter((id) => id in track.clips) : [];
  return JSON.stringify([track.fader, track.envelope, track.part, lifted]);
});
/** How the track makes way, or where it is spoken on it. */
const way = computed(() => balance.wayOf(props.track));
const spoken = computed(() => balance.shown?.spoken.find((s) => s.track === props.track.id)?.spans ?? []);
const sounds = computed(() => [...new Set(props.clips.map((c) => c.clip.sound))]);
const place = computed(() => {
  const { laid } = desk.time;
  const { from, scale, width } = drawn.value;
  const left = (from - laid.origin) / laid.scale;
  return {
    top: `${props.top}px`,
    width: `${width}px`,
    height: `${props.height}px`,
    transform: `translateX(${left}px) scaleX(${scale / laid.scale})`,
  };
});

/** How long what cannot be seen may lag behind while something is dragged. */
const REST_MS = 250;
/** Pixels by which what is drawn of a clip hangs over its edges. */
const OVER = 8;
/** Pixels beside what can be seen that are drawn with it. */
const BESIDE = 64;
/** Everything that there is. */
const EVERYTHING: Span = { from: -Infinity, to: Infinity };
/** Of a picture that stands: where it is not up to date, as far as that can be seen, and further away. */
let dirty: Span | undefined;
let dirtyBeyond: Span | undefined;
/** What is to be drawn: what is not up to date and can be seen, and the rest later; a new picture, first what can be seen of it; or all of it. */
type Need = "seen" | "beyond" | "seen anew" | "all";
let need: Need | undefined;
/** What is needed can wait until all has been drawn that can be seen. */
let postponed = false;
let resting = 0;

function draw(needed: Need): void {
  if (!canvas.value) return;
  const { laid, laidFrom, laidTo, start, scale } = desk.time;
  const chosen = desk.selection.clips;
  const order = [...props.clips].sort((a, b) => Number(chosen.includes(a.id)) - Number(chosen.includes(b.id)));
  const width = Math.ceil(laidTo - laidFrom);
  const from = laid.origin + laidFrom * laid.scale;
  const picture = {
    clips: order,
    crossings: props.crossings,
    track: props.track,
    from,
    scale: laid.scale,
    width,
    height: props.height,
    folded: props.folded,
    lines: props.lines,
    taken: desk.lines.value.taken,
    way: way.value,
    spoken: spoken.value,
  };
  const left = Math.min(width - 1, Math.max(0, Math.floor((start - from) / laid.scale) - BESIDE));
  const room = Math.ceil((desk.time.width * scale) / laid.scale) + 2 * BESIDE;
  const seen = { from: left, to: Math.max(left + 1, Math.min(width, left + room)) };
  window.clearTimeout(resting);
  if (needed === "all" || needed === "seen anew") {
    drawLane(canvas.value, picture, needed === "all" ? undefined : seen, needed === "seen anew");
    dirty = dirtyBeyond = undefined;
    if (needed === "seen anew") soon("all", true);
  } else {
    const stale = needed === "seen" ? dirty : dirtyBeyond;
    const of = needed === "seen" ? seen : { from: 0, to: width };
    const part = columns(stale, from, laid.scale, of);
    if (part) drawLane(canvas.value, picture, part);
    dirtyBeyond = needed === "seen" ? both(dirtyBeyond, dirty) : undefined;
    if (needed === "seen") dirty = undefined;
    if (dirtyBeyond) resting = window.setTimeout(() => soon("beyond"), REST_MS);
  }
  drawn.value = { from, scale: laid.scale, width };
}

/** The columns of a picture that show a stretch, with what hangs over its edges, as far as they lie among others. */
function columns(
  span: Span | undefined,
  from: number,
  scale: number,
  among: { from: number; to: number },
): { from: number; to: number } | undefined {
  if (!span) return undefined;
  const left = Math.max(among.from, Math.floor((span.from - from) / scale) - OVER);
  const right = Math.min(among.to, Math.ceil((span.to - from) / scale) + OVER);
  return right > left ? { from: left, to: right } : undefined;
}

/** Has a stretch drawn anew. */
function touch(span: Span | undefined): void {
  if (!span) return;
  dirty = both(dirty, span);
  soon("seen");
}
const alike = (a: unknown, b: unknown) => a === b || JSON.stringify(a) === JSON.stringify(b);
const name = {};
/** Behind all that can be seen. */
const LATER = 1000;
function soon(what: Need, later = false): void {
  const weight: Record<Need, number> = { beyond: 0, seen: 1, "seen anew": 2, all: 3 };
  need = need === undefined || postponed || weight[what] > weight[need] ? what : need;
  postponed = later;
  if (props.far) return drawNoMore(name);
  const go = () => {
    const needed = need!;
    need = undefined;
    draw(needed);
  };
  drawSoon(name, go, () => props.index + (later ? LATER : 0));
}
watch(
  [
    () => [props.height, props.folded, props.far, props.lines, desk.lines.value.taken],
    () => desk.time.laid,
    () => desk.time.width,
    isNight,
  ],
  // While time is scrolled, what is not seen yet is so in a moment.
  () => soon(drawn.value.scale === desk.time.laid.scale ? "all" : "seen anew"),
  { flush: "post", immediate: true },
);
watch(look, () => touch(EVERYTHING), { flush: "post" });
// What has not changed is the very same object: only where something has is drawn anew.
watch(
  () => props.clips,
  (after, before) => touch(changedClips(before, after)),
  { flush: "post" },
);
watch(
  () => props.crossings,
  (after, before) => touch(changedRow(before, after, alike, ({ from, to }) => ({ from, to }))),
  { flush: "post" },
);
// An answer comes with every move of a hand: only a lane on which it changes something is drawn anew, and where it does.
watch(
  () => {
    const { laid, laidFrom, laidTo } = desk.time;
    const [from, to] = [laid.origin + laidFrom * laid.scale, laid.origin + laidTo * laid.scale];
    return way.value ? wayCorners(way.value, from, to) : [];
  },
  (after, before) => touch(changedRow(before, after, alike, ({ at }) => ({ from: at, to: at }))),
  { flush: "post" },
);
watch(spoken, (after, before) => touch(changedRow(before, after, alike, ({ from, to }) => ({ from, to }))), {
  flush: "post",
});
watch(
  () => sounds.value.map((s) => arrivals.get(s) ?? 0).join(),
  () => touch(EVERYTHING),
);
// What is done to the track changes with its treatment, and with all that goes into it.
watch(
  () => [props.track.treatment, isTreated(props.track.treatment) && props.track.clips] as const,
  (after, before) => (after[0] !== before[0] || after[1] !== before[1]) && courseChanged(props.track.id),
);
watch(
  () => courseArrivals.get(props.track.id) ?? 0,
  () => touch(EVERYTHING),
);
onBeforeUnmount(() => {
  window.clearTimeout(resting);
  drawNoMore(name);
});
void document.fonts.ready.then(() => soon("all")); // names that were written before their letters had come
</script>

<template>
  <canvas ref="canvas" :style="place" aria-hidden="true"></canvas>
</template>

<style scoped>
canvas {
  position: absolute;
  left: 0;
  transform-origin: 0 0;
  pointer-events: none;
}
</style>
