<script setup lang="ts">
import { computed } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { courseHeard } from "../../drawing/courses";

/** Where on its transfer curve a track is at the playhead: what comes in, and what is made of it just then. */
const props = defineProps<{ track: string; x: (level: number) => number; y: (level: number) => number }>();
const desk = useDeskContext();
const at = computed(() => {
  const c = courseHeard(props.track, desk.playhead.value);
  return c && { x: props.x(c.level), y: props.y(c.level + c.gate + c.expander + c.compressor + c.limiter) };
});
</script>

<template>
  <circle v-if="at" :cx="at.x" :cy="at.y" r="4.5" class="dot" data-dot />
</template>

<style scoped>
.dot {
  fill: var(--alarm);
  stroke: var(--paper);
  stroke-width: 1.5;
  pointer-events: none;
}
</style>
