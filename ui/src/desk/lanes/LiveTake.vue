<script setup lang="ts">
import { isNight } from "../../model/night";
import { computed, onMounted, useTemplateRef, watch } from "vue";
import { HEAD } from "../../drawing/picture";
import { prepare, token } from "../../drawing/tokens";
import { RATE, timeText } from "../../model/units";
import { useDeskContext } from "../state/context";

/** The take that is being recorded, growing on its track. */
const props = defineProps<{ height: number }>();
const desk = useDeskContext();
const { recorder } = desk;
const canvas = useTemplateRef<HTMLCanvasElement>("canvas");

/** Only what can be seen is drawn. */
const span = computed(() => {
  const from = Math.max(recorder.state.begins, desk.time.start);
  const to = Math.min(recorder.state.begins + recorder.state.recorded, desk.time.end);
  return { from, width: Math.max(0, (to - from) / desk.time.scale) };
});

function draw(): void {
  if (!canvas.value || span.value.width < 1) return;
  const height = props.height - HEAD;
  const g = prepare(canvas.value, span.value.width, height);
  const { pairs, run, rate } = recorder.wave;
  const frames = (run * RATE) / rate; // that a pair stands for
  g.fillStyle = token("voice");
  for (let x = 0; x < span.value.width; x++) {
    const at = span.value.from - recorder.state.begins + x * desk.time.scale;
    let [low, high] = [0, 0];
    const last = Math.max(Math.floor(at / frames) + 1, Math.ceil((at + desk.time.scale) / frames));
    for (let i = Math.floor(at / frames); i < last; i++) {
      low = Math.min(low, pairs[2 * i] ?? 0);
      high = Math.max(high, pairs[2 * i + 1] ?? 0);
    }
    const top = (high * height) / 2;
    g.fillRect(x, height / 2 - top, 1, Math.max(1, top - (low * height) / 2));
  }
}
onMounted(draw);
watch(() => [recorder.wave.grown, span.value.width, span.value.from, isNight.value], draw, { flush: "post" });
</script>

<template>
  <div
    class="take"
    :style="{ left: `${desk.time.x(span.from)}px`, width: `${span.width}px`, height: `${height}px` }"
    aria-label="The take that is being recorded"
  >
    <div class="head cut figures">
      {{ timeText(recorder.state.recorded, 1) }} {{ recorder.state.phase === "saving" ? "keeping" : "recording" }}
    </div>
    <canvas
      ref="canvas"
      :style="{ width: `${span.width}px`, height: `${height - HEAD}px` }"
      aria-hidden="true"
    ></canvas>
  </div>
</template>

<style scoped>
.take {
  position: absolute;
  top: 5px;
  z-index: 4;
  overflow: hidden;
  border: 1.5px dashed var(--alarm);
  border-radius: var(--radius-button);
  background: var(--voice-wash);
  pointer-events: none;
}
.head {
  height: 18px;
  padding: 0 6px;
  background: var(--voice);
  color: var(--ink-inverse);
  font-size: var(--type-small);
  line-height: 18px;
}
canvas {
  display: block;
}
</style>
