<script setup lang="ts">
import { useElementSize } from "@vueuse/core";
import { computed, onMounted, ref, useTemplateRef, watch } from "vue";
import { prepare, token } from "../drawing/tokens";
import { figure } from "../model/units";
import { useDeskContext } from "./context";

const props = defineProps<{ ceiling: number }>();
const LOWEST = -48;
const CELL = 7;
const desk = useDeskContext();
const box = useTemplateRef<HTMLElement>("box");
const canvas = useTemplateRef<HTMLCanvasElement>("canvas");
const { width } = useElementSize(box);
const held = ref([0, 0]);
const levels = computed(() => held.value.map((p) => (p > 0 ? 20 * Math.log10(p) : -120)));
const text = computed(() => `left ${figure(levels.value[0]!)} dBTP, right ${figure(levels.value[1]!)} dBTP`);

// The highest peak stays for a moment and then falls, so that the eye can follow it.
watch(
  () => desk.player.state.peaks,
  (peaks) => {
    held.value = held.value.map((h, i) => Math.max(peaks[i] ?? 0, desk.player.state.playing ? h * 0.9 : 0));
  },
);

function draw(): void {
  if (!canvas.value || width.value < 1) return;
  const g = prepare(canvas.value, width.value, 19);
  const cells = Math.floor(width.value / CELL);
  const place = (db: number) => ((db - LOWEST) / -LOWEST) * cells;
  levels.value.forEach((level, row) => {
    for (let i = 0; i < cells; i++) {
      const over = i >= place(props.ceiling);
      g.fillStyle = i < place(level) ? token(over ? "alarm" : "deck-meter") : token("deck-meter-off");
      g.fillRect(i * CELL, row * 10, CELL - 2, 8);
    }
  });
  g.fillStyle = token("ink-inverse");
  g.fillRect(Math.round(place(props.ceiling) * CELL) - 1, 0, 2, 19);
}
onMounted(draw);
watch([levels, width, () => props.ceiling], draw, { flush: "post" });
</script>

<template>
  <div ref="box" role="img" :aria-label="`Output level: ${text}`">
    <canvas ref="canvas" :style="{ width: `${width}px`, height: '19px' }"></canvas>
  </div>
</template>

<style scoped>
div {
  height: 19px;
}
</style>
