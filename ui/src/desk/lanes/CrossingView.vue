<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { crossGain } from "../../drawing/level";
import { HEAD } from "../../drawing/picture";
import { lengthText, RATE } from "../../model/units";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../state/context";
import { newGesture, startDrag } from "../widgets/drag";

/** A crossing of two clips: both curves, and a grip by which its length is dragged. */
const props = defineProps<{ crossing: Schema["Crossing"]; height: number }>();
const session = useSession();
const desk = useDeskContext();
const STEPS = 24;

const left = computed(() => desk.time.laidX(props.crossing.from));
const width = computed(() => (props.crossing.to - props.crossing.from) / desk.time.laid.scale);
const length = computed(() => props.crossing.to - props.crossing.from);
/** Its clips end it. */
const longest = computed(() => Math.max(length.value, session.clip(props.crossing.in)?.length ?? 0));
const law = computed(() => (props.crossing.law === "equal-power" ? "equal power" : "equal gain"));
const name = computed(() => {
  const into = session.clip(props.crossing.in)?.name ?? "";
  return `Crossing into ${into}`;
});

function curve(rising: boolean): string {
  const body = props.height - HEAD - 2;
  let d = "";
  for (let i = 0; i <= STEPS; i++) {
    const gain = crossGain(props.crossing.law, rising ? i / STEPS : 1 - i / STEPS);
    d += `${i ? "L" : "M"}${((i / STEPS) * width.value).toFixed(1)} ${(body * (1 - gain)).toFixed(1)}`;
  }
  return d;
}

function set(frames: number, gesture?: string): void {
  const crossings = [{ clip: props.crossing.in, length: Math.max(0, Math.round(frames)) }];
  void session.edit({ type: "set-crossings", crossings }, gesture);
}

function drag(event: PointerEvent): void {
  const gesture = newGesture();
  const from = length.value;
  const clip = props.crossing.in;
  startDrag(event, {
    move: ({ dx, event: e }) => {
      const to = Math.max(240, from + 2 * dx * desk.time.scale);
      desk.tag.value = { x: e.clientX, y: e.clientY, text: `crossing ${lengthText(to)}` };
      const crossings = [{ clip, length: Math.round(to) }];
      void session.edit({ type: "set-crossings", crossings }, gesture);
    },
    back: () => session.takeBack(gesture),
    end: () => (desk.tag.value = undefined),
  });
}

function key(event: KeyboardEvent): void {
  const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  if (!step) return;
  event.preventDefault();
  event.stopPropagation();
  set(length.value + step * (event.shiftKey ? RATE / 10 : RATE / 100));
}
</script>

<template>
  <div
    class="crossing"
    role="gridcell"
    :aria-label="name"
    :data-of="`clip:${crossing.in}`"
    :style="{ left: `${left}px`, width: `${width}px`, height: `${height - HEAD - 2}px` }"
    :title="`${name}: ${lengthText(length)}, ${law}`"
  >
    <svg :width="width" :height="height - HEAD - 2" aria-hidden="true">
      <path :d="curve(false)" />
      <path :d="curve(true)" />
    </svg>
    <span
      class="grip reach"
      role="slider"
      tabindex="-1"
      :aria-label="`Length of the crossing into ${session.clip(crossing.in)?.name ?? ''}`"
      aria-valuemin="0"
      :aria-valuemax="longest / RATE"
      :aria-valuenow="length / RATE"
      :aria-valuetext="`${lengthText(length)}, ${law}`"
      title="Drag to make the crossing longer or shorter"
      @pointerdown="drag"
      @keydown="key"
    ></span>
  </div>
</template>

<style scoped>
.crossing {
  position: absolute;
  top: 24px;
  z-index: 3;
  border-inline: 1px dashed var(--ink);
  background: var(--shade);
  pointer-events: none;
}
svg {
  position: absolute;
  inset: 0;
  overflow: visible;
}
path {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
}
.grip {
  position: absolute;
  right: -6px;
  bottom: 0;
  width: 11px;
  height: 11px;
  border: 1.5px solid var(--ink);
  border-radius: var(--radius-round);
  background: var(--sheet);
  pointer-events: all;
  cursor: ew-resize;
}
</style>
