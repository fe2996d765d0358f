<script setup lang="ts">
import { isNight } from "../model/night";
import { onMounted, ref, watch } from "vue";
import type { Schema } from "../api/client";
import { prepare, token } from "../drawing/tokens";

const props = defineProps<{
  outline: Schema["Silhouette"] | undefined;
  width: number;
  height: number;
  mono?: boolean;
}>();
const canvas = ref<HTMLCanvasElement>();

function draw(): void {
  if (!canvas.value) return;
  const g = prepare(canvas.value, props.width, props.height);
  const middle = props.height / 2;
  for (const part of ["voice", "effect", "music"] as const) {
    const columns = props.outline?.[part] ?? [];
    g.fillStyle = token(props.mono ? "rule-strong" : part);
    g.globalAlpha = part === "music" && !props.mono ? 0.8 : 1;
    const step = props.width / Math.max(1, columns.length);
    columns.forEach((height, i) => {
      const h = Math.min(1, height) * middle;
      if (h > 0) g.fillRect(i * step, middle - Math.max(0.5, h), step + 0.3, Math.max(1, 2 * h));
    });
  }
}

onMounted(draw);
watch(() => [props.outline, props.width, props.height, isNight.value], draw, { flush: "post" });
</script>

<template>
  <canvas ref="canvas" :style="{ width: `${width}px`, height: `${height}px` }" aria-hidden="true"></canvas>
</template>
