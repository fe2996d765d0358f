<script setup lang="ts">
import { timeText } from "../../model/units";
import { useDeskContext } from "../state/context";
import { startDrag } from "../widgets/drag";

/** The mark of the playhead on the ruler, by which it is dragged. */
const desk = useDeskContext();

/** Drags the playhead, and lets what it passes be heard. */
function scrub(event: PointerEvent): void {
  if (desk.recorder.busy) return;
  const from = desk.playhead.value;
  desk.player.pause();
  startDrag(event, {
    move: ({ dx, event: e }) => {
      const to = Math.max(0, Math.round(from + dx * desk.time.scale));
      desk.playhead.value = to;
      desk.scrubbing.value = true;
      desk.tag.value = { x: e.clientX, y: e.clientY, text: timeText(to) };
      void desk.player.scrub(to);
    },
    back: () => (desk.playhead.value = from),
    end: () => {
      desk.scrubbing.value = false;
      desk.tag.value = undefined;
      desk.player.pause();
    },
  });
}
</script>

<template>
  <div
    class="head"
    role="gridcell"
    tabindex="-1"
    data-stop="playhead"
    aria-label="Playhead; Enter to type where it goes"
    title="Drag to listen along"
    :style="{ transform: `translateX(${desk.time.x(desk.playhead.value)}px)` }"
    @pointerdown="scrub"
    @keydown.enter.prevent.stop="desk.timing.value = true"
  ></div>
</template>

<style scoped>
.head {
  position: absolute;
  bottom: 0;
  left: -6px;
  width: 0;
  border: 6px solid transparent;
  border-top: 8px solid var(--alarm);
  border-bottom: 0;
  z-index: 2;
  cursor: ew-resize;
  will-change: transform;
}
</style>
