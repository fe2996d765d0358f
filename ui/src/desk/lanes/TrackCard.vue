<script setup lang="ts">
import { Mic } from "lucide-vue-next";
import { computed, nextTick, ref, useTemplateRef } from "vue";
import type { Schema } from "../../api/client";
import { isTreated } from "../../drawing/reduction";
import { useSession } from "../../stores/session";
import NameField from "../widgets/NameField.vue";
import { useDeskContext } from "../state/context";
import { useTrackOrder } from "./trackOrder";
import TrackControls from "./TrackControls.vue";
import TrackMenu from "./TrackMenu.vue";
import TrackMeter from "./TrackMeter.vue";
import TrackTaken from "./TrackTaken.vue";

const props = defineProps<{ track: Schema["Track"]; index: number; small: boolean; folded: boolean }>();
const session = useSession();
const desk = useDeskContext();
const { meant, press, landingLine } = useTrackOrder(
  desk,
  () => props.track.id,
  () => props.index,
);
const renaming = ref(false);
const nameButton = useTemplateRef<HTMLElement>("name");

const CHANNELS = ["Empty", "Mono", "Stereo"];
const channels = computed(() => CHANNELS[session.byTrack.get(props.track.id)?.channels ?? 0]);
const treated = computed(() => isTreated(props.track.treatment));
const panText = computed(() => {
  const p = Math.round(props.track.pan * 100);
  return p === 0 ? "" : ` · ${Math.abs(p)} % ${p < 0 ? "left" : "right"}`;
});

function set(change: Omit<Schema["TrackChange"], "track">): void {
  void session.edit({ type: "set-tracks", tracks: [{ track: props.track.id, ...change }] });
}

/** Where a key has ended it, the focus stays with the track. */
function rename(name: string | undefined, byKey: boolean): void {
  renaming.value = false;
  if (name !== undefined && name !== props.track.name) set({ name });
  if (byKey) void nextTick(() => nameButton.value?.focus());
}
</script>

<template>
  <div
    class="card"
    :class="[track.part, { chosen: desk.selection.tracks.includes(track.id), small, folded }]"
    :data-card="track.id"
    @pointerdown="press"
  >
    <div v-if="landingLine !== undefined" class="landing" :style="{ top: `${landingLine}px` }"></div>
    <div class="top">
      <NameField v-if="renaming" :name="track.name" label="Name of the track" @done="rename" />
      <h2 v-else>
        <button
          ref="name"
          class="name cut"
          :data-stop="`track:${track.id}`"
          :title="`${track.name}: drag to put it elsewhere, double click to rename it`"
          @dblclick="renaming = true"
          @keydown.f2="renaming = true"
        >
          {{ track.name }}
        </button>
      </h2>
      <TrackMenu :track="track" :index="index" :folded="folded" :meant="meant" @rename="renaming = true" />
    </div>
    <div class="top facts-row">
      <p class="soft facts cut">
        {{ channels }} · {{ track.way?.on && track.part !== "voice" ? "makes way" : track.part }}{{ panText
        }}{{ track.group ? " · grouped" : "" }}
      </p>
      <TrackTaken v-if="treated" :track="track" />
      <button
        v-if="track.part === 'voice'"
        class="arm reach"
        :aria-pressed="desk.armed.value === track.id"
        :disabled="desk.recorder.busy"
        :title="desk.armed.value === track.id ? 'Recording goes onto this track' : 'Record onto this track'"
        @click="desk.armed.value = desk.armed.value === track.id ? '' : track.id"
      >
        <Mic :size="12" aria-hidden="true" /><span class="visually-hidden">Record onto {{ track.name }}</span>
      </button>
    </div>
    <TrackControls class="controls" :track="track" />
    <TrackMeter :index="index" />
  </div>
</template>

<style scoped>
.card {
  flex: none;
  width: var(--card-width);
  padding: 7px 10px 4px 13px;
  border-left: 5px solid var(--ink);
  border-right: 1px solid var(--rule-strong);
  background: var(--sheet);
  font-size: var(--type-small);
}
.card {
  position: relative;
  user-select: none;
  touch-action: pan-y;
}
.card.chosen {
  background: var(--rule);
}
.landing {
  position: absolute;
  left: -5px;
  z-index: 8;
  width: 100vw;
  height: 3px;
  margin-top: -2px;
  background: var(--ink);
  pointer-events: none;
}
.card.folded {
  padding-block: 2px;
}
.folded .facts-row,
.folded .controls {
  display: none;
}
.card.voice {
  border-left-color: var(--voice);
  --part: var(--voice);
}
.card.music {
  border-left-color: var(--music);
  --part: var(--music);
}
.card.effect {
  border-left-color: var(--effect);
  --part: var(--effect);
}
.top {
  display: flex;
  align-items: center;
}
h2 {
  flex: 1;
  min-width: 0;
  font-size: inherit;
}
.name {
  width: 100%;
  padding: 0;
  border: 0;
  background: none;
  font-size: var(--type-body);
  font-weight: 700;
  text-align: left;
}
.small {
  padding: 2px 10px 0 13px;
}
.small .facts-row {
  display: none;
}
.small .controls {
  margin-top: 0;
}
.facts {
  flex: 1;
  line-height: 16px;
}
.arm {
  position: relative;
  display: grid;
  padding: 2px;
  border: 0;
  border-radius: var(--radius-small);
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}
.arm[aria-pressed="true"] {
  background: var(--alarm);
  color: var(--ink-inverse);
}
</style>
