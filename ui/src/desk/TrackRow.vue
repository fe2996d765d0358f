<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../api/client";
import { useSession } from "../stores/session";
import ClipView from "./ClipView.vue";
import { useDeskContext } from "./context";
import { startDrag } from "./drag";
import LiveTake from "./LiveTake.vue";
import { HIGHEST, LOWEST } from "./heights";
import TrackCard from "./TrackCard.vue";

const props = defineProps<{ track: Schema["Track"]; index: number }>();
/** Below this height a card shows its name and its switches alone. */
const SMALL_CARD = 72;
const session = useSession();
const desk = useDeskContext();

const height = computed(() => desk.heights.of(props.track));
const audible = computed(() => session.byTrack.get(props.track.id)?.heard ?? true);
const growing = computed(
  () => desk.recorder.state.track === props.track.id && ["recording", "saving"].includes(desk.recorder.state.phase),
);
/** Only what can be seen is drawn. */
const visible = computed(() => {
  const { time } = desk;
  return Object.entries(props.track.clips)
    .filter(([, c]) => c.start < time.end && c.start + c.length > time.start)
    .sort(([, a], [, b]) => a.start - b.start);
});

function pull(event: PointerEvent): void {
  const from = height.value;
  startDrag(event, { move: ({ dy }) => desk.heights.set([props.track.id], from + dy) });
}

function pullByKey(event: KeyboardEvent): void {
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (!by) return;
  event.preventDefault();
  event.stopPropagation();
  desk.heights.set([props.track.id], height.value + by * (event.shiftKey ? 1 : 10));
}

function press(event: PointerEvent): void {
  const left = (event.currentTarget as HTMLElement).getBoundingClientRect().left;
  const at = Math.max(0, desk.time.frame(event.clientX - left));
  const { selection } = desk;
  startDrag(event, {
    move: ({ event: e }) => {
      const to = Math.max(0, desk.time.frame(e.clientX - left));
      selection.range = { from: Math.min(at, to), to: Math.max(at, to) };
    },
    click: () => {
      selection.clips = [];
      selection.points = [];
      selection.range = undefined;
      selection.track = props.track.id;
      desk.seek(at);
    },
  });
}
</script>

<template>
  <div class="row" :style="{ height: `${height}px` }">
    <TrackCard :track="track" :index="index" :small="height < SMALL_CARD" />
    <div class="lane" :class="{ silent: !audible }" :data-track="track.id" @pointerdown="press">
      <div
        v-if="desk.selection.range"
        class="range"
        :style="{
          left: `${desk.time.x(desk.selection.range.from)}px`,
          width: `${(desk.selection.range.to - desk.selection.range.from) / desk.time.scale}px`,
        }"
      ></div>
      <ClipView v-for="[id, clip] in visible" :id="id" :key="id" :clip="clip" :track="track" :height="height - 11" />
      <LiveTake v-if="growing" :height="height - 11" />
    </div>
    <span
      class="size"
      role="separator"
      tabindex="0"
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
  </div>
</template>

<style scoped>
.row {
  position: relative;
  display: flex;
  border-bottom: 1px solid var(--rule);
}
.lane {
  position: relative;
  flex: 1;
  min-width: 0;
  overflow: hidden;
  touch-action: none;
}
.lane.silent :deep(.clip) {
  opacity: 0.42;
}
.size {
  position: absolute;
  left: 0;
  bottom: -3px;
  z-index: 2;
  width: var(--card-width);
  height: 6px;
  cursor: row-resize;
}
.size:hover {
  background: var(--shade);
}
.range {
  position: absolute;
  inset-block: 0;
  background: var(--shade);
}
</style>
