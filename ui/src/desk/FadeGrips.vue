<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../api/client";
import { gripPlaces } from "../drawing/outline";
import { lengthText, RATE } from "../model/units";
import { useSession } from "../stores/session";
import { useDeskContext } from "./context";
import { newGesture, startDrag } from "./drag";

const props = defineProps<{ id: string; clip: Schema["Clip"]; lead: number; width: number }>();
const session = useSession();
const desk = useDeskContext();

const grips = computed(() => {
  const { clip } = props;
  const x = (own: number) => (own - props.lead) / desk.time.laid.scale;
  const [inEnd, outStart] = gripPlaces(clip);
  return [
    { edge: "in" as const, name: "Fade in", fade: clip.fadeIn, x: x(inEnd) },
    { edge: "out" as const, name: "Fade out", fade: clip.fadeOut, x: x(outStart) },
  ].filter((g) => g.x >= -1 && g.x <= props.width + 1);
});

function set(edge: "in" | "out", length: number, gesture?: string): void {
  const fade = edge === "in" ? props.clip.fadeIn : props.clip.fadeOut;
  const change = { length: Math.max(0, Math.min(props.clip.length, Math.round(length))), shape: fade.shape };
  void session.edit({ type: "set-fades", fades: [{ clip: props.id, [edge]: change }] }, gesture);
}

function drag(event: PointerEvent, edge: "in" | "out", length: number): void {
  desk.selection.clips = [props.id];
  const gesture = newGesture();
  const direction = edge === "in" ? 1 : -1;
  startDrag(event, {
    move: ({ dx, event: e }) => {
      const to = Math.max(0, Math.min(props.clip.length, length + direction * dx * desk.time.scale));
      desk.tag.value = { x: e.clientX, y: e.clientY, text: `fade ${edge} ${lengthText(to)}` };
      set(edge, to, gesture);
    },
    end: () => (desk.tag.value = undefined),
  });
}

function key(event: KeyboardEvent, edge: "in" | "out", length: number): void {
  const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  if (!step) return;
  event.preventDefault();
  event.stopPropagation();
  set(edge, length + step * (edge === "in" ? 1 : -1) * (event.shiftKey ? RATE : RATE / 10));
}
</script>

<template>
  <span
    v-for="g in grips"
    :key="g.edge"
    class="grip"
    :class="g.edge"
    :style="{ left: `${g.x}px` }"
    tabindex="0"
    role="slider"
    :aria-label="g.name"
    :aria-valuenow="g.fade.length / RATE"
    :aria-valuetext="lengthText(g.fade.length)"
    :title="`${g.name}: drag`"
    @pointerdown="drag($event, g.edge, g.fade.length)"
    @keydown="key($event, g.edge, g.fade.length)"
  ></span>
</template>

<style scoped>
/* They are seen on the picture of the lane. */
.grip {
  position: absolute;
  top: 0;
  width: 12px;
  height: 12px;
  cursor: ew-resize;
}
.grip.out {
  margin-left: -12px;
}
</style>
