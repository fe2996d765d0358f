<script setup lang="ts">
import { computed, onMounted, toRaw, useTemplateRef, watch } from "vue";
import type { Schema } from "../api/client";
import { drawClip } from "../drawing/clip";
import { arrivals } from "../drawing/peaks";
import { timeText } from "../model/units";
import { useSession } from "../stores/session";
import { useDeskContext } from "./context";
import { newGesture, startDrag } from "./drag";
import FadeGrips from "./FadeGrips.vue";
import LevelLine from "./LevelLine.vue";
import { snap, snapPlaces } from "./snap";

const props = defineProps<{ id: string; clip: Schema["Clip"]; track: Schema["Track"]; height: number }>();
const HEAD = 18;
const MARGIN = 24;
const session = useSession();
const desk = useDeskContext();
const canvas = useTemplateRef<HTMLCanvasElement>("canvas");

/** The part of the clip that is on screen, in pixels of the lane. */
const box = computed(() => {
  const left = desk.time.x(props.clip.start);
  const right = desk.time.x(props.clip.start + props.clip.length);
  const from = Math.max(left, -MARGIN);
  const to = Math.max(from + 2, Math.min(right, desk.time.width + MARGIN));
  return {
    from,
    to,
    width: to - from,
    whole: right - left,
    startSeen: left >= -MARGIN,
    endSeen: right <= desk.time.width + MARGIN,
  };
});
/** Frames from the clip's start to the left edge of what is drawn: 0 while the start can be seen, however time is scrolled. */
const lead = computed(() => (box.value.startSeen ? 0 : desk.time.frame(box.value.from) - props.clip.start));
const drawnWidth = computed(() => box.value.width);
const bodyHeight = computed(() => props.height - HEAD - 2);
const chosen = computed(() => desk.selection.clips.includes(props.id));
const label = computed(
  () =>
    `${props.clip.name}, ${timeText(props.clip.start)} to ${timeText(props.clip.start + props.clip.length)}, on ${props.track.name}`,
);

/** Changes when anything changes that the picture shows of the clip and its track, but not when time is scrolled. */
const look = computed(() => JSON.stringify([props.clip, props.track.fader, props.track.envelope, props.track.part]));

function draw(): void {
  if (!canvas.value) return;
  const { clip, track } = props;
  drawClip(canvas.value, {
    clip: toRaw(clip),
    track: toRaw(track),
    from: lead.value,
    scale: desk.time.scale,
    width: drawnWidth.value,
    height: bodyHeight.value,
  });
}
onMounted(draw);
watch([look, lead, drawnWidth, bodyHeight, () => desk.time.scale, () => arrivals.get(props.clip.sound)], draw, {
  flush: "post",
});

function choose(event: { shiftKey: boolean; ctrlKey: boolean }): void {
  const { selection } = desk;
  selection.points = [];
  selection.track = props.track.id;
  if (event.shiftKey || event.ctrlKey) {
    selection.clips = chosen.value ? selection.clips.filter((c) => c !== props.id) : [...selection.clips, props.id];
  } else if (!chosen.value) {
    selection.clips = [props.id];
  }
}

/** With the clip itself in focus, keys mean the clip and no longer a point on its line. */
function focused(): void {
  desk.selection.points = [];
  if (!chosen.value) choose({ shiftKey: false, ctrlKey: false });
}

function move(event: PointerEvent): void {
  if (event.button !== 0) return;
  const already = chosen.value;
  choose(event);
  const ids = desk.selection.clips.includes(props.id) ? [...desk.selection.clips] : [props.id];
  const origins = ids.flatMap((id) => ({ id, start: session.clip(id)?.start ?? 0 }));
  const places = snapPlaces(session.document!, desk.playhead.value, ids);
  const { start, length } = props.clip;
  const gesture = newGesture();
  startDrag(event, {
    move: ({ dx, event: e }) => {
      let by = dx * desk.time.scale;
      by += snap(desk, places, [start + by, start + by + length], e.altKey);
      by = Math.round(Math.max(by, -Math.min(...origins.map((o) => o.start))));
      const lane = document
        .elementsFromPoint(e.clientX, e.clientY)
        .find((el) => el instanceof HTMLElement && el.dataset.track);
      const track = ids.length === 1 ? (lane as HTMLElement | undefined)?.dataset.track : undefined;
      desk.tag.value = { x: e.clientX, y: e.clientY, text: timeText(start + by) };
      void session.edit(
        { type: "move-clips", moves: origins.map((o) => ({ clip: o.id, start: o.start + by, track })) },
        gesture,
      );
    },
    click: (e) => {
      if (already && !e.shiftKey && !e.ctrlKey) desk.selection.clips = [props.id];
    },
    end: letGo,
  });
}

function trim(event: PointerEvent, edge: "start" | "end"): void {
  choose({ shiftKey: false, ctrlKey: false });
  const at = edge === "start" ? props.clip.start : props.clip.start + props.clip.length;
  const places = snapPlaces(session.document!, desk.playhead.value, [props.id]);
  const gesture = newGesture();
  startDrag(event, {
    move: ({ dx, event: e }) => {
      let to = at + dx * desk.time.scale;
      to = Math.max(0, Math.round(to + snap(desk, places, [to], e.altKey)));
      desk.tag.value = { x: e.clientX, y: e.clientY, text: timeText(to) };
      void session.edit({ type: "trim-clips", trims: [{ clip: props.id, edge, at: to }] }, gesture);
    },
    end: letGo,
  });
}

function letGo(): void {
  desk.tag.value = desk.guide.value = undefined;
}
</script>

<template>
  <div
    class="clip"
    :class="[track.part, { chosen }]"
    :style="{ left: `${box.from}px`, width: `${box.width}px`, height: `${height}px` }"
    tabindex="0"
    role="group"
    :aria-label="label"
    :data-clip="id"
    @focus="focused"
    @pointerdown="move"
  >
    <div class="head" :style="{ paddingLeft: `${box.startSeen ? 7 : MARGIN + 7}px` }">
      <span class="cut" :title="clip.name">{{ clip.name }}</span>
    </div>
    <div class="body" :style="{ height: `${bodyHeight}px` }">
      <canvas ref="canvas" :style="{ width: `${box.width}px`, height: `${bodyHeight}px` }" aria-hidden="true"></canvas>
      <LevelLine
        v-if="box.whole > 26"
        :id="id"
        :clip="clip"
        :lead="lead"
        :width="drawnWidth"
        :height="bodyHeight"
        :chosen="chosen"
      />
      <FadeGrips v-if="box.whole > 40" :id="id" :clip="clip" :lead="lead" :width="drawnWidth" />
    </div>
    <span v-if="box.startSeen" class="edge start" title="Trim the start" @pointerdown="trim($event, 'start')"></span>
    <span v-if="box.endSeen" class="edge end" title="Trim the end" @pointerdown="trim($event, 'end')"></span>
  </div>
</template>

<style scoped>
.clip {
  position: absolute;
  top: 5px;
  border: 1px solid var(--part);
  border-radius: 6px;
  background: var(--wash);
  overflow: hidden;
  touch-action: none;
  cursor: grab;
}
.clip.voice {
  --part: var(--voice);
  --wash: var(--voice-wash);
}
.clip.music {
  --part: var(--music);
  --wash: var(--music-wash);
}
.clip.effect {
  --part: var(--effect);
  --wash: var(--effect-wash);
}
.clip.chosen {
  border-color: var(--ink);
  box-shadow: 0 0 0 2px var(--ink);
  z-index: 1;
}
.head {
  display: flex;
  height: 18px;
  padding: 0 7px;
  background: var(--part);
  color: var(--ink-inverse);
  font-size: 11.5px;
  font-weight: 700;
  line-height: 18px;
}
.body {
  position: relative;
}
canvas {
  position: absolute;
  inset: 0;
}
.edge {
  position: absolute;
  top: 31px; /* below the grips of the fades */
  bottom: 0;
  width: 6px;
  cursor: ew-resize;
}
.edge.start {
  left: 0;
}
.edge.end {
  right: 0;
}
.edge:hover {
  background: var(--shade);
}
</style>
