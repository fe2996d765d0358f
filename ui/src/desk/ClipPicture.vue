<script setup lang="ts">
import { computed, onBeforeUnmount, toRaw, watch } from "vue";
import type { Schema } from "../api/client";
import { drawClip } from "../drawing/clip";
import { arrivals } from "../drawing/peaks";
import { drawNoMore, drawSoon } from "../drawing/queue";
import { useDeskContext } from "./context";

/** The waveform of a clip, drawn in pieces, each when its turn comes. */
const props = defineProps<{
  clip: Schema["Clip"];
  track: Schema["Track"];
  /** Frames from the clip's start to the left edge. */
  lead: number;
  /** Where the left edge lies, in pixels from the anchor. */
  left: number;
  width: number;
  height: number;
}>();
const PIECE = 512;
const desk = useDeskContext();

const pieces = computed(() => {
  const out = [];
  for (let at = 0; at < props.width; at += PIECE) out.push({ at, width: Math.min(PIECE, props.width - at) });
  return out;
});
const canvases = new Map<number, HTMLCanvasElement>();
/** What a piece that waits for its turn is known by. */
const names = new Map<number, object>();

function keep(at: number, canvas: unknown): void {
  if (canvas) canvases.set(at, canvas as HTMLCanvasElement);
  else canvases.delete(at);
}

/** Changes when anything changes that the picture shows of the clip and its track, but not when time is scrolled. */
const look = computed(() =>
  JSON.stringify([props.clip, props.track.fader, props.track.envelope, props.track.part, props.clip.silent]),
);

function draw(at: number): void {
  const canvas = canvases.get(at);
  const piece = pieces.value.find((p) => p.at === at);
  if (!canvas || !piece) return;
  const { scale } = desk.time.laid;
  drawClip(canvas, {
    clip: toRaw(props.clip),
    track: toRaw(props.track),
    from: props.lead + at * scale,
    scale,
    width: piece.width,
    height: props.height,
  });
}

/** How far a piece lies from the middle of what can be seen, in pixels. */
function distance(at: number): number {
  const middle = desk.time.laidX((desk.time.start + desk.time.end) / 2);
  return Math.abs(props.left + at + PIECE / 2 - middle);
}

function all(): void {
  for (const { at } of pieces.value) {
    let name = names.get(at);
    if (!name) names.set(at, (name = {}));
    drawSoon(
      name,
      () => draw(at),
      () => distance(at),
    );
  }
}
watch([look, () => props.lead, () => props.width, () => props.height, () => desk.time.laid], all, {
  flush: "post",
  immediate: true,
});
watch(() => arrivals.get(props.clip.sound), all);
onBeforeUnmount(() => names.forEach((name) => drawNoMore(name)));
</script>

<template>
  <canvas
    v-for="p in pieces"
    :key="p.at"
    :ref="(c) => keep(p.at, c)"
    :style="{ left: `${p.at}px`, width: `${p.width}px`, height: `${height}px` }"
    aria-hidden="true"
  ></canvas>
</template>

<style scoped>
canvas {
  position: absolute;
  top: 0;
}
</style>
