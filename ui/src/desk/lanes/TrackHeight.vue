<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { useDeskContext } from "../state/context";
import { startDrag } from "../widgets/drag";
import { HIGHEST, LOWEST } from "../state/heights";

/** The lower edge of a track's card, by which it is made taller. */
const props = defineProps<{ track: Schema["Track"] }>();
const desk = useDeskContext();
const height = computed(() => desk.heights.of(props.track));

function pull(event: PointerEvent): void {
  const from = height.value;
  startDrag(event, {
    move: ({ dy }) => desk.heights.set([props.track.id], from + dy),
    back: () => desk.heights.set([props.track.id], from),
  });
}

function pullByKey(event: KeyboardEvent): void {
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (!by) return;
  event.preventDefault();
  event.stopPropagation();
  desk.heights.set([props.track.id], height.value + by * (event.shiftKey ? 1 : 10));
}
</script>

<template>
  <span
    class="size"
    role="separator"
    tabindex="-1"
    aria-orientation="horizontal"
    :aria-label="`Height of ${track.name}`"
    :aria-valuenow="height"
    :aria-valuemin="LOWEST"
    :aria-valuemax="HIGHEST"
    title="Drag to make the track taller; a double click gives it its own height back"
    @pointerdown="pull"
    @dblclick="desk.heights.set([track.id], 'own')"
    @keydown="pullByKey"
  ></span>
</template>

<style scoped>
.size {
  position: absolute;
  left: 0;
  bottom: -3px;
  z-index: 2;
  width: var(--card-width);
  height: 6px;
  touch-action: none;
  cursor: row-resize;
}
.size:hover {
  background: var(--shade);
}
</style>
