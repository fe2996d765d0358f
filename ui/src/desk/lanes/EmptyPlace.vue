<script setup lang="ts">
import { FileAudio, Mic } from "lucide-vue-next";
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { lengthText, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../state/context";
import { newGesture, startDrag } from "../widgets/drag";
import { snap, snapPlaces } from "./snap";
import { along } from "./stretch";

/** An empty place on a track: what is recorded or dropped there fills it, and all that follows moves along. */
const props = defineProps<{ id: string; place: Schema["Marker"]; track: Schema["Track"]; height: number }>();
const session = useSession();
const desk = useDeskContext();
/** Pixels that the buttons need beside each other. */
const ROOM = 64;
const width = computed(() => props.place.length / desk.time.laid.scale);
const span = computed(() => ({
  left: `${desk.time.laidX(props.place.at)}px`,
  width: `${Math.max(2, width.value)}px`,
  height: `${props.height}px`,
}));

function here(): void {
  desk.seek(props.place.at);
  desk.selection.track = props.track.id;
  desk.selection.tracks = [props.track.id];
}

function record(): void {
  here();
  desk.armed.value = props.track.id;
  desk.stage.value = "gather";
  desk.gatherTab.value = "record";
}

function choose(): void {
  here();
  desk.chooseFiles.value({ start: props.place.at, track: props.track.id });
}

/** Drags the place along its track, or its end. */
function drag(event: PointerEvent, end: boolean): void {
  const { at, length } = props.place;
  const places = snapPlaces(session.document!, desk).filter((p) => p !== at && p !== at + length);
  const gesture = newGesture();
  startDrag(event, {
    scroll: end ? undefined : along(desk),
    move: ({ dx, event: e }) => {
      const edge = (end ? at + length : at) + dx * desk.time.scale;
      const to = Math.max(0, Math.round(edge + snap(desk, places, [edge], e.altKey)));
      desk.tag.value = { x: e.clientX, y: e.clientY, text: timeText(to) };
      const change = end ? { length: Math.max(480, to - at) } : { at: to };
      void session.edit({ type: "set-markers", markers: [{ marker: props.id, ...change }] }, gesture);
    },
    back: () => session.takeBack(gesture),
    end: () => (desk.tag.value = desk.guide.value = undefined),
    click: here,
  });
}
</script>

<template>
  <div
    class="place"
    :class="track.part"
    :style="span"
    :data-place="id"
    role="gridcell"
    tabindex="-1"
    :data-stop="`place:${id}`"
    data-holds
    :aria-label="`Empty place: ${place.name}, ${timeText(place.at)}, about ${lengthText(place.length)}`"
    :title="`${place.name} goes here: record it, or drop a file`"
    @pointerdown.stop="drag($event, false)"
  >
    <span class="name cut">{{ place.name }}<span class="soft"> goes here</span></span>
    <span v-if="width > ROOM" class="ways">
      <button
        v-if="track.part === 'voice'"
        class="row-button"
        :aria-label="`Record ${place.name}`"
        title="Record it here"
        @pointerdown.stop
        @click="record"
      >
        <Mic :size="14" />
      </button>
      <button
        class="row-button"
        :aria-label="`Choose a file for ${place.name}`"
        title="Choose a file for it"
        @pointerdown.stop
        @click="choose"
      >
        <FileAudio :size="14" />
      </button>
    </span>
    <span class="edge" @pointerdown.stop="drag($event, true)"></span>
  </div>
</template>

<style scoped>
.place {
  position: absolute;
  top: 5px;
  display: grid;
  align-content: center;
  justify-items: center;
  gap: 3px;
  overflow: hidden;
  padding: 2px 4px;
  border: 1.5px dashed var(--rule-strong);
  border-radius: var(--radius-button);
  background: repeating-linear-gradient(-45deg, transparent 0 7px, var(--rule) 7px 8px);
  font-size: var(--type-small);
  touch-action: pan-y;
  cursor: grab;
}
.voice {
  border-color: var(--voice);
}
.music {
  border-color: var(--music);
}
.effect {
  border-color: var(--effect);
}
.name {
  max-width: 100%;
  padding: 0 5px;
  border-radius: var(--radius-small);
  background: var(--sheet);
  font-weight: 600;
}
.name .soft {
  font-weight: 400;
}
.ways {
  display: flex;
  gap: 4px;
}
.edge {
  position: absolute;
  inset: 0 0 0 auto;
  width: 6px;
  touch-action: none;
  cursor: ew-resize;
}
</style>
