<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { useBare } from "../../desk/acts/bare";
import { figure, SILENCE } from "../../model/units";

/** Switches between tracks with and without their treatment, at the same loudness. */
const props = defineProps<{ tracks: string[]; voice: Schema["Voice"] | undefined }>();
const desk = useDeskContext();
const { bare, switchOver } = useBare(desk);

const off = computed(() => props.tracks.some((id) => bare.value.includes(id)));
const by = computed(() => {
  const v = props.voice;
  if (!v || v.with <= SILENCE || v.without <= SILENCE) return "";
  const change = v.with - v.without;
  return Math.abs(change) < 0.05
    ? "Equally loud with it and without."
    : `${figure(Math.abs(change))} LU ${change < 0 ? "softer" : "louder"} with it; to compare, both are heard equally loud.`;
});
</script>

<template>
  <div class="without">
    <button class="plain-button small" :class="{ filled: off }" :aria-pressed="off" @click="switchOver(tracks)">
      {{ off ? "Heard without it" : "Hear without it" }} <kbd class="figures" aria-hidden="true" data-keys="7"></kbd>
    </button>
    <p class="soft">{{ by }}</p>
  </div>
</template>

<style scoped>
.without {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 10px;
  align-items: center;
  margin: 6px 0;
}
p {
  margin: 0;
  font-size: var(--type-small);
}
.small {
  padding: 3px 9px;
  font-size: var(--type-hint);
}
kbd::after {
  content: attr(data-keys);
}
kbd {
  opacity: 0.7;
  font-size: var(--type-small);
}
</style>
