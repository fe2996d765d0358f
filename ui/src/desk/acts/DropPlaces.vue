<script setup lang="ts">
import type { Dropping } from "./useDropping";

/** Where files that are dragged over the desk can be dropped. */
defineProps<{ dropping: Dropping }>();
</script>

<template>
  <div class="dropping" aria-hidden="true">
    <p v-if="dropping.files > 1" class="lined" :class="{ over: dropping.lined }" data-lined>
      Here: voices one after the other on one track, in the order of their names
    </p>
    <p>
      {{
        dropping.files > 1
          ? "Drop recordings or music: on a track to place them there one after the other, anywhere else each on a track of its own"
          : "Drop recordings or music: on a track to place them there, anywhere else for tracks of their own"
      }}
    </p>
  </div>
</template>

<style scoped>
.dropping {
  position: absolute;
  inset: 8px;
  z-index: 20;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: space-between;
  padding: 52px 0 90px;
  border: 2px dashed var(--voice);
  border-radius: var(--radius-large);
  background: var(--shade);
  pointer-events: none;
}
p {
  padding: 10px 18px;
  border-radius: var(--radius);
  background: var(--sheet);
  font-weight: 600;
}
.lined {
  padding: 22px 34px;
  border: 2px dashed var(--voice);
}
.lined.over {
  border-style: solid;
  background: var(--voice);
  color: var(--ink-inverse);
}
p:only-child {
  margin-top: auto;
}
</style>
