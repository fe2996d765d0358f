<script setup lang="ts">
import { isNight } from "../../model/night";
import { useElementSize, useElementVisibility } from "@vueuse/core";
import { computed, onMounted, useTemplateRef, watch } from "vue";
import type { Part } from "../../api/client";
import { startDrag } from "../../desk/widgets/drag";
import { arrivals, reader } from "../../drawing/peaks";
import { prepare, token } from "../../drawing/tokens";
import { RATE, timeText } from "../../model/units";

/** A sound drawn small: a click hears it from there, a drag marks a stretch, the arrow keys do the same. */
const props = defineProps<{
  source: string;
  length: number;
  part: Part;
  name: string;
  /** The frame that is heard, if it is. */
  at?: number;
  range?: { from: number; to: number };
  tall?: boolean;
}>();
const emit = defineEmits<{ hear: [from: number]; mark: [range: { from: number; to: number } | undefined] }>();
const canvas = useTemplateRef<HTMLCanvasElement>("canvas");
const box = useTemplateRef<HTMLElement>("box");
const { width } = useElementSize(box);
const visible = useElementVisibility(box);
const height = computed(() => (props.tall ? 44 : 22));
const percent = (frame: number) => `${(100 * frame) / props.length}%`;

function draw(): void {
  if (!canvas.value || width.value < 2 || !visible.value) return;
  const g = prepare(canvas.value, width.value, height.value);
  const scale = props.length / width.value;
  const read = reader(props.source, scale);
  g.fillStyle = token(props.part);
  for (let x = 0; x < width.value; x++) {
    const [low, high] = read(x * scale, (x + 1) * scale);
    const top = (high * height.value) / 2;
    g.fillRect(x, height.value / 2 - top, 1, Math.max(1, top - (low * height.value) / 2));
  }
}
onMounted(draw);
watch(() => [width.value, visible.value, props.part, props.tall, arrivals.get(props.source), isNight.value], draw, {
  flush: "post",
});

function frameAt(event: PointerEvent): number {
  const r = box.value!.getBoundingClientRect();
  return Math.round(Math.min(1, Math.max(0, (event.clientX - r.left) / r.width)) * props.length);
}

function press(event: PointerEvent): void {
  const from = frameAt(event);
  const before = props.range;
  startDrag(event, {
    move: ({ event: e }) => {
      const to = frameAt(e);
      emit("mark", { from: Math.min(from, to), to: Math.max(from, to) });
    },
    back: () => emit("mark", before),
    click: () => emit("hear", from),
  });
}

function key(event: KeyboardEvent): void {
  const step = event.key === "ArrowRight" ? RATE : event.key === "ArrowLeft" ? -RATE : 0;
  if (!step) return;
  event.preventDefault();
  event.stopPropagation();
  const at = props.at ?? props.range?.from ?? 0;
  if (!event.shiftKey) {
    emit("hear", Math.min(props.length - 1, Math.max(0, at + step)));
    return;
  }
  const { from, to } = props.range ?? { from: at, to: at };
  emit("mark", { from, to: Math.min(props.length, Math.max(from + 480, to + step)) });
}
</script>

<template>
  <div
    ref="box"
    class="wave"
    role="slider"
    tabindex="0"
    :aria-label="`Place in ${name}`"
    aria-valuemin="0"
    :aria-valuemax="Math.round(length / RATE)"
    :aria-valuenow="Math.round((at ?? 0) / RATE)"
    :aria-valuetext="
      timeText(at ?? 0, 0) + (range ? `, marked from ${timeText(range.from)} to ${timeText(range.to)}` : '')
    "
    title="Click: hear from here. Drag: mark a stretch."
    :style="{ height: `${height}px` }"
    @pointerdown="press"
    @keydown="key"
  >
    <canvas ref="canvas" :style="{ width: `${width}px`, height: `${height}px` }" aria-hidden="true"></canvas>
    <template v-if="range">
      <span class="veil" :style="{ left: 0, width: percent(range.from) }"></span>
      <span class="veil" :style="{ left: percent(range.to), right: 0 }"></span>
      <span class="edge" :style="{ left: percent(range.from) }"></span>
      <span class="edge" :style="{ left: percent(range.to) }"></span>
    </template>
    <span v-if="at !== undefined" class="head" :style="{ left: percent(at) }"></span>
  </div>
</template>

<style scoped>
.wave {
  position: relative;
  cursor: text;
  touch-action: none;
  user-select: none;
}
canvas {
  display: block;
}
.veil,
.edge,
.head {
  position: absolute;
  top: 0;
  bottom: 0;
  pointer-events: none;
}
.veil {
  background: var(--veil);
}
.edge {
  width: 0;
  border-left: 1.5px solid var(--ink);
}
.head {
  width: 2px;
  margin-left: -1px;
  background: var(--alarm);
}
</style>
