<script setup lang="ts">
import { Pause, Play } from "lucide-vue-next";
import type { Part } from "../../api/client";

/** Hears a sound by itself, or stops it. */
defineProps<{ name: string; part: Part; hearing: boolean }>();
defineEmits<{ hear: []; stop: [] }>();
</script>

<template>
  <button
    :class="part"
    :aria-label="hearing ? `Stop ${name}` : `Hear ${name}`"
    @click="hearing ? $emit('stop') : $emit('hear')"
  >
    <component :is="hearing ? Pause : Play" :size="12" fill="currentColor" />
  </button>
</template>

<style scoped>
button {
  flex: none;
  display: grid;
  place-items: center;
  width: 28px;
  height: 28px;
  padding: 0;
  border: 1px solid currentColor;
  border-radius: var(--radius-round);
  background: none;
  cursor: pointer;
}
.voice {
  color: var(--voice);
}
.music {
  color: var(--music);
}
.effect {
  color: var(--effect);
}
</style>
