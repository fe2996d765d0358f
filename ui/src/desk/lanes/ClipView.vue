<script setup lang="ts">
import { computed, ref } from "vue";
import type { Schema } from "../../api/client";
import { BORDER, HEAD } from "../../drawing/picture";
import { timeText } from "../../model/units";
import { useOthers } from "../../stores/others";
import { useDeskContext } from "../state/context";
import { isDragging } from "../widgets/drag";
import { useClipGestures } from "./clipGestures";
import ClipHands from "./ClipHands.vue";
import FadeGrips from "./FadeGrips.vue";
import LevelLine from "./LevelLine.vue";

const props = defineProps<{
  id: string;
  clip: Schema["Clip"];
  // Of the track only this: what happens to one clip of it is no matter of the others.
  track: string;
  trackName: string;
  part: Schema["Track"]["part"];
  height: number;
  /** Wholly under another one. */
  under: boolean;
  /** Which part it is of those that a split has left: "part 2 of 3". */
  partOf?: string;
}>();
/** So many chosen clips have lines, grips and edges that can be taken hold of. */
const FEW = 6;
const desk = useDeskContext();
const hands = useOthers();
const hovered = ref(false);
const within = ref(false);

// The part of the clip that is laid out, in pixels from the origin. Each value by itself, so that nothing is rendered
// again when more of the session is laid out and this clip stays as it is.
const left = computed(() => desk.time.laidX(props.clip.start));
const right = computed(() => desk.time.laidX(props.clip.start + props.clip.length));
const whole = computed(() => props.clip.length / desk.time.laid.scale);
const startThere = computed(() => left.value >= desk.time.laidFrom);
const endThere = computed(() => right.value <= desk.time.laidTo);
const from = computed(() => (startThere.value ? left.value : desk.time.laidFrom));
const width = computed(() => Math.max(2, (endThere.value ? right.value : desk.time.laidTo) - from.value));
/** Frames from the clip's start to the left edge of what is laid out: 0 while the start is. */
const lead = computed(() =>
  startThere.value ? 0 : desk.time.laid.origin + from.value * desk.time.laid.scale - props.clip.start,
);
const bodyHeight = computed(() => props.height - HEAD - 2 * BORDER);
const moved = computed(() => hands.holding.get(props.id));
const moving = computed(() => moved.value !== undefined);
const others = computed(() => moved.value ?? hands.choosing.get(props.id));
const chosen = computed(() => desk.selection.clips.includes(props.id));
const withOthers = computed(() =>
  others.value ? `, chosen by ${others.value.map((h) => h.name).join(" and ")} too` : "",
);
const name = computed(() => {
  const { clip } = props;
  const named = props.partOf ? `${clip.name}, ${props.partOf}` : clip.name;
  const what = `${named}, ${timeText(clip.start)} to ${timeText(clip.start + clip.length)}, on ${props.trackName}`;
  return what + (clip.silent ? ", silenced" : "") + (props.under ? ", under another clip" : "") + withOthers.value;
});

/** What lies on it can be taken hold of. It is seen in any case, on the picture of the lane. */
const open = computed(() => hovered.value || within.value || (chosen.value && desk.selection.clips.length <= FEW));

const { choose, press, trim } = useClipGestures(desk, props, () => chosen.value);

function point(event: PointerEvent): void {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
  const at = props.clip.start + lead.value + (event.clientX - box.left) * desk.time.scale;
  desk.pointed.value = { clip: props.id, at };
}

/** With the clip itself in focus, keys mean the clip and no longer a point on its line. */
function focused(): void {
  if (chosen.value) desk.selection.points = [];
}

function leave(): void {
  hovered.value = false;
  desk.pointed.value = undefined;
}

function menu(event: MouseEvent): void {
  event.preventDefault();
  event.stopPropagation();
  if (isDragging()) return; // a finger that rests on it has taken hold of it
  if (!chosen.value) choose();
  const lane = (event.currentTarget as HTMLElement).closest("[data-track]")!.getBoundingClientRect();
  const key = event.clientX === 0 && event.clientY === 0; // the menu key knows no place
  const own = (event.currentTarget as HTMLElement).getBoundingClientRect();
  const x = key ? Math.max(own.left, lane.left) + 20 : event.clientX;
  const at = key ? desk.playhead.value : desk.time.frame(event.clientX - lane.left);
  desk.menu.value = {
    x,
    y: key ? own.top + HEAD : event.clientY,
    clip: props.id,
    track: props.track,
    at: Math.round(at),
  };
}
</script>

<template>
  <div
    class="clip"
    :class="{ chosen, narrow: whole < 12 }"
    :style="{ left: `${from}px`, width: `${width}px`, height: `${height}px` }"
    tabindex="-1"
    role="gridcell"
    :aria-label="name"
    :aria-selected="chosen"
    aria-haspopup="menu"
    :data-clip="id"
    :data-stop="`clip:${id}`"
    @focus="focused"
    @pointerdown="press"
    @contextmenu="menu"
    @pointerenter="hovered = true"
    @pointermove="point"
    @pointerleave="leave"
    @focusin="within = true"
    @focusout="within = false"
  >
    <div class="head" :title="clip.name"></div>
    <ClipHands v-if="others" :who="others" :moving="moving" />
    <template v-if="open">
      <div class="body" :style="{ height: `${bodyHeight}px` }">
        <LevelLine
          v-if="whole > 26 && desk.lines.value.clips && !desk.lines.value.tracks"
          :id="id"
          :points="clip.envelope"
          :zero="clip.start - clip.offset"
          :edge="clip.start + lead"
          :width="width"
          :height="bodyHeight"
          :chosen="chosen"
        />
        <FadeGrips v-if="whole > 40" :id="id" :clip="clip" :lead="lead" :width="width" />
      </div>
      <span v-if="startThere" class="edge start" title="Trim the start" @pointerdown="trim($event, 'start')"></span>
      <span v-if="endThere" class="edge end" title="Trim the end" @pointerdown="trim($event, 'end')"></span>
    </template>
  </div>
</template>

<style scoped>
/* Nothing of it is painted here but that it is chosen: the picture of the lane shows it. */
.clip {
  position: absolute;
  top: 5px;
  padding: 1px;
  border-radius: var(--radius-clip);
  touch-action: pan-y;
  cursor: text;
  contain: layout size style;
}
.clip.chosen {
  box-shadow: 0 0 0 2px var(--ink);
  z-index: 2;
}
.clip.narrow {
  border-radius: var(--radius-point);
}
.head {
  height: 18px;
  cursor: grab;
}
.body {
  position: relative;
}
.edge {
  position: absolute;
  top: 31px; /* below the grips of the fades */
  bottom: 0;
  width: 6px;
  touch-action: none;
  cursor: ew-resize;
}
.edge.start {
  left: 0;
}
.edge.end {
  right: 0;
}
@media (pointer: coarse) {
  .edge {
    width: 24px;
  }
}
.edge:hover {
  background: var(--shade);
}
</style>
