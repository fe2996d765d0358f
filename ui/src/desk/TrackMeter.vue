<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useDeskContext } from "./context";
import { FALL, levelOf, placeOn } from "./meter";

/** How loud a track is in what is heard just now, as a small bar at the edge of its card. */
const props = defineProps<{ index: number }>();
const desk = useDeskContext();
const held = ref(0);
watch(
  () => desk.player.state.tracks,
  (tracks) => (held.value = Math.max(tracks[props.index] ?? 0, desk.player.state.playing ? held.value * FALL : 0)),
);
const height = computed(() => `${(100 * placeOn(levelOf(held.value))).toFixed(0)}%`);
</script>

<template>
  <div class="track-meter" aria-hidden="true"><div :style="{ height }"></div></div>
</template>

<style scoped>
.track-meter {
  position: absolute;
  inset: 3px 1px 3px auto;
  display: flex;
  align-items: flex-end;
  width: 4px;
  border-radius: 2px;
  background: var(--rule);
}
.track-meter div {
  width: 100%;
  border-radius: 2px;
  background: var(--part);
}
</style>
