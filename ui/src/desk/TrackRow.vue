<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../api/client";
import { useDesk } from "../stores/desk";
import ClipView from "./ClipView.vue";
import { useDeskContext } from "./context";
import { startDrag } from "./drag";
import LiveTake from "./LiveTake.vue";
import TrackCard from "./TrackCard.vue";

const props = defineProps<{ track: Schema["Track"]; index: number }>();
const store = useDesk();
const desk = useDeskContext();

const height = computed(() => (props.track.part === "music" ? 98 : 78));
const audible = computed(() => {
  const solo = store.document?.tracks.some((t) => t.solo) ?? false;
  return !props.track.mute && (props.track.solo || !solo);
});
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
    <TrackCard :track="track" :index="index" />
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
  </div>
</template>

<style scoped>
.row {
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
.range {
  position: absolute;
  inset-block: 0;
  background: var(--shade);
}
</style>
