<script setup lang="ts">
import type { Here } from "../../stores/others";

/** Who else has chosen a clip, or moves it at this moment. */
defineProps<{ who: Here[]; moving: boolean }>();
</script>

<template>
  <span
    class="hands"
    :class="{ moving }"
    :title="`${who.map((h) => h.name).join(', ')} ${moving ? 'moves this clip' : 'has chosen this clip too'}`"
  >
    {{ who.map((h) => h.letters).join(" ") }}
  </span>
</template>

<style scoped>
.hands {
  position: absolute;
  right: 3px;
  bottom: 3px;
  z-index: 3;
  padding: 0 5px;
  border: 1px solid var(--ink);
  border-radius: var(--radius-chip);
  background: var(--sheet);
  color: var(--ink);
  font-size: var(--type-small);
  font-weight: 700;
}
.hands.moving {
  background: var(--ink);
  color: var(--ink-inverse);
}
</style>
