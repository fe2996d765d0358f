<script setup lang="ts">
import { useTemplateRef } from "vue";
import { useSession } from "../../stores/session";
import { cardWidth } from "../state/heights";
import { useDeskContext } from "../state/context";
import AddTrack from "./AddTrack.vue";
import EmptyDesk from "./EmptyDesk.vue";
import { useGrid } from "./grid";
import LeadStrip from "./LeadStrip.vue";
import OverviewStrip from "./OverviewStrip.vue";
import TimeLines from "./TimeLines.vue";
import TimeRuler from "./TimeRuler.vue";
import TrackRow from "./TrackRow.vue";
import { useZooming } from "./zooming";

/** Tracks and clips along time, with the whole above them and the voice lead between: one stop of the Tab key. */
defineProps<{ /** The track under which the voice lead is shown. */ lastVoice: number }>();
const session = useSession();
const desk = useDeskContext();
const lanes = useTemplateRef<HTMLElement>("lanes");
desk.timeline.value = useGrid(desk, useTemplateRef<HTMLElement>("grid"));
const { wheel, pinch } = useZooming(desk, lanes, cardWidth);
defineExpose({ lanes });
</script>

<template>
  <div
    id="timeline"
    ref="grid"
    class="grid"
    role="grid"
    aria-label="Tracks and clips: arrows go about, Enter chooses, Enter again goes in, Esc comes out"
    aria-multiselectable="true"
  >
    <OverviewStrip />
    <TimeRuler />
    <div class="field">
      <div
        ref="lanes"
        class="lanes"
        @wheel="wheel"
        @touchstart="pinch.begin"
        @touchmove="pinch.go"
        @touchend="pinch.end"
      >
        <template v-for="(track, index) in session.document?.tracks" :key="track.id">
          <TrackRow :track="track" :index="index" />
          <LeadStrip v-if="index === lastVoice" />
        </template>
        <EmptyDesk v-if="session.length === 0 && !session.glance?.empty.length && !desk.recorder.busy" />
        <AddTrack />
      </div>
      <div class="over" aria-hidden="true">
        <TimeLines />
      </div>
    </div>
  </div>
</template>

<style scoped>
.grid {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-height: 0;
}
.field {
  position: relative;
  flex: 1;
  min-height: 0;
}
.lanes {
  position: relative;
  height: 100%;
  overflow: hidden auto;
  scrollbar-width: none;
}
.over {
  position: absolute;
  inset: 0 0 0 var(--card-width);
  pointer-events: none;
  overflow: hidden;
}
</style>
