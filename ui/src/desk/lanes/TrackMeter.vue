<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useDeskContext } from "../state/context";
import { fallen, levelOf, placeOn } from "../transport/meter";

/** How loud a track is in what is heard just now, as a small bar at the edge of its card. */
const props = defineProps<{ index: number }>();
const desk = useDeskContext();
const held = ref(0);
let fallenAt = 0;
watch(
  () => desk.player.state.tracks,
  (tracks) => {
    const now = performance.now();
    const stays = desk.player.state.playing ? fallen(now - fallenAt) : 0;
    fallenAt = now;
    held.value = Math.max(tracks[props.index] ?? 0, held.value * stays);
  },
);
const transform = computed(() => `scaleY(${placeOn(levelOf(held.value)).toFixed(2)})`);
</script>

<template>
  <div class="track-meter" aria-hidden="true"><div :style="{ transform }"></div></div>
</template>

<style scoped>
.track-meter {
  position: absolute;
  inset: 3px 1px 3px auto;
  width: 4px;
  border-radius: var(--radius-point);
  background: var(--rule);
  overflow: hidden;
}
.track-meter div {
  height: 100%;
  background: var(--part);
  transform-origin: bottom;
  will-change: transform; /* it moves while everything is heard, and costs no layout then */
}
</style>
