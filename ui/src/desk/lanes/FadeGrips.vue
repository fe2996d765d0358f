<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { gripPlaces } from "../../drawing/outline";
import { keyNames, modified } from "../../model/machine";
import { FADE_SHAPES, lengthText, RATE } from "../../model/units";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../state/context";
import { newGesture, startDrag } from "../widgets/drag";

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

/** How far down a drag goes for the next shape. */
const SHAPE_STEP = 26;

function set(
  edge: "in" | "out",
  length: number,
  shape: (typeof FADE_SHAPES)[number]["key"],
  both: boolean,
  gesture?: string,
): void {
  const fade = { length: Math.max(0, Math.min(props.clip.length, Math.round(length))), shape };
  const fades = both ? { in: fade, out: fade } : { [edge]: fade };
  void session.edit({ type: "set-fades", fades: [{ clip: props.id, ...fades }] }, gesture);
}

/** Along, a drag sets the length; down and up the shape; with Ctrl held both ends are alike. */
function drag(event: PointerEvent, edge: "in" | "out", length: number): void {
  const { shape } = edge === "in" ? props.clip.fadeIn : props.clip.fadeOut;
  const was = FADE_SHAPES.findIndex((s) => s.key === shape);
  desk.selection.clips = [props.id];
  const gesture = newGesture();
  const direction = edge === "in" ? 1 : -1;
  startDrag(event, {
    move: ({ dx, dy, event: e }) => {
      const place = Math.min(FADE_SHAPES.length - 1, Math.max(0, was + Math.round(dy / SHAPE_STEP)));
      const to = Math.max(0, Math.min(props.clip.length, length + direction * dx * desk.time.scale));
      desk.tag.value = {
        x: e.clientX,
        y: e.clientY,
        text: `fade ${modified(e) ? "in and out" : edge} ${lengthText(to)}, ${FADE_SHAPES[place]!.name}`,
      };
      set(edge, to, FADE_SHAPES[place]!.key, modified(e), gesture);
    },
    back: () => session.takeBack(gesture),
    end: () => (desk.tag.value = undefined),
  });
}

function key(event: KeyboardEvent, edge: "in" | "out", length: number): void {
  const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  if (!step) return;
  event.preventDefault();
  event.stopPropagation();
  const { shape } = edge === "in" ? props.clip.fadeIn : props.clip.fadeOut;
  set(edge, length + step * (edge === "in" ? 1 : -1) * (event.shiftKey ? RATE : RATE / 10), shape, modified(event));
}
</script>

<template>
  <span
    v-for="g in grips"
    :key="g.edge"
    class="grip"
    :class="g.edge"
    :style="{ left: `${g.x}px` }"
    tabindex="-1"
    role="slider"
    :aria-label="`${g.name} of ${clip.name}`"
    aria-valuemin="0"
    :aria-valuemax="clip.length / RATE"
    :aria-valuenow="g.fade.length / RATE"
    :aria-valuetext="lengthText(g.fade.length)"
    :title="`${g.name}: drag along for its length, up or down for its shape; with ${keyNames('Ctrl')} both ends alike`"
    @pointerdown="drag($event, g.edge, g.fade.length)"
    @keydown="key($event, g.edge, g.fade.length)"
  ></span>
</template>

<style scoped>
/* They are seen on the picture of the lane. */
.grip {
  position: absolute;
  top: 0;
  width: 24px;
  height: 24px;
  touch-action: none;
  cursor: ew-resize;
}
.grip.out {
  margin-left: -24px;
}
</style>
