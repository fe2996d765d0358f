<script setup lang="ts">
import type { Schema } from "../../api/client";
import { useDeskContext } from "../state/context";

/** Clips that lie wholly under others, each with a handle by which it is brought up. */
const props = defineProps<{ clips: { id: string; clip: Schema["Clip"] }[]; track: string }>();
const desk = useDeskContext();

const span = (clip: Schema["Clip"]) => ({
  left: `${desk.time.laidX(clip.start)}px`,
  width: `${clip.length / desk.time.laid.scale}px`,
});

/** Brings what lies under another clip to where it can be reached. */
function bringUp(id: string): void {
  desk.selection.clips = [id];
  desk.selection.track = props.track;
  document.querySelector<HTMLElement>(`[data-clip="${id}"]`)?.focus();
}
</script>

<template>
  <template v-for="v in clips" :key="v.id">
    <button
      v-if="!desk.selection.clips.includes(v.id)"
      class="under cut"
      tabindex="-1"
      aria-hidden="true"
      :style="span(v.clip)"
      :title="`${v.clip.name} lies under another clip: bring it up`"
      @pointerdown.stop
      @click="bringUp(v.id)"
    >
      {{ v.clip.name }}
    </button>
  </template>
</template>

<style scoped>
.under {
  position: absolute;
  bottom: 2px;
  z-index: 4;
  height: 15px;
  min-width: 14px;
  padding: 0 4px;
  border: 1px dashed var(--ink);
  border-radius: var(--radius-chip);
  background: var(--sheet);
  color: var(--ink);
  font-size: var(--type-small);
  line-height: 12px;
  text-align: left;
  cursor: pointer;
}
</style>
