<script setup lang="ts">
import { useDeskContext } from "../state/context";

/** What is said at the pointer while something is dragged. */
const desk = useDeskContext();
</script>

<template>
  <div
    v-if="desk.tag.value"
    class="tag figures"
    :style="{ left: `${desk.tag.value.x + 14}px`, top: `${desk.tag.value.y - 30}px` }"
  >
    {{ desk.tag.value.text }}
  </div>
</template>

<style scoped>
.tag {
  position: fixed;
  z-index: 30;
  padding: 3px 8px;
  border-radius: var(--radius-button);
  background: var(--ink);
  color: var(--ink-inverse);
  font-size: var(--type-small);
  white-space: nowrap;
  pointer-events: none;
}
</style>
