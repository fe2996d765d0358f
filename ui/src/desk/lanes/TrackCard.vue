<script setup lang="ts">
import { ElDropdown, ElDropdownItem, ElDropdownMenu, ElSlider } from "element-plus";
import { Mic, MoreHorizontal } from "lucide-vue-next";
import { computed, nextTick, ref } from "vue";
import type { Part, Schema } from "../../api/client";
import { isTreated } from "../../drawing/reduction";
import { figure, levelText, LOUDEST, parseLevel, SILENCE } from "../../model/units";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../context";
import { useActs } from "../acts/acts";
import { newGesture } from "../widgets/drag";
import { useTrackOrder } from "./trackOrder";
import TrackMeter from "./TrackMeter.vue";
import TrackTaken from "./TrackTaken.vue";
import ValueField from "../widgets/ValueField.vue";

const props = defineProps<{ track: Schema["Track"]; index: number; small: boolean; folded: boolean }>();
const session = useSession();
const desk = useDeskContext();
const acts = useActs(desk);
const { meant, press, focused, landingLine } = useTrackOrder(
  desk,
  () => props.track.id,
  () => props.index,
);
const renaming = ref<string>();
let gesture = "";

/** The fader's way: silence at the left end, then −48 to +12 dB. */
const LOWEST = -48;
const position = computed(() => (props.track.fader <= SILENCE ? LOWEST - 1 : Math.max(LOWEST, props.track.fader)));
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

function slide(value: number | number[]): void {
  gesture ||= newGesture();
  const v = value as number;
  if (v === position.value) return;
  acts.setFader(props.track.id, v < LOWEST ? SILENCE : v, gesture);
}

function rename(): void {
  const name = renaming.value;
  renaming.value = undefined;
  if (name !== undefined && name !== props.track.name) set({ name });
}

function command(what: string): void {
  if (what === "rename") renaming.value = props.track.name;
  else if (what === "up") acts.moveTracks(-1);
  else if (what === "down") acts.moveTracks(1);
  else if (what === "together") acts.group(meant(), false);
  else if (what === "apart") acts.group([props.track.id], true);
  else if (what === "duplicate") acts.duplicateTracks();
  else if (what === "fold") desk.heights.set(meant(), props.folded ? "own" : "folded");
  else if (what === "remove") void session.edit({ type: "remove-tracks", tracks: meant() });
  else {
    const part = what as Part;
    void session.edit({ type: "set-tracks", tracks: meant().map((track) => ({ track, part })) });
  }
}
</script>

<template>
  <section
    class="card"
    :class="[track.part, { chosen: desk.selection.tracks.includes(track.id), small, folded }]"
    :aria-label="`Track ${track.name}`"
    @pointerdown="press"
  >
    <div v-if="landingLine !== undefined" class="landing" :style="{ top: `${landingLine}px` }"></div>
    <div class="top">
      <input
        v-if="renaming !== undefined"
        v-model="renaming"
        class="rename"
        maxlength="200"
        aria-label="Name of the track"
        @vue:mounted="($event: { el: HTMLInputElement }) => void nextTick(() => $event.el.select())"
        @blur="rename"
        @keydown.enter="rename"
        @keydown.escape="renaming = undefined"
      />
      <button
        v-else
        class="name cut"
        :title="`${track.name}: drag to put it elsewhere, double click to rename it`"
        @dblclick="renaming = track.name"
        @keydown.f2="renaming = track.name"
        @focus="focused"
      >
        {{ track.name }}
      </button>
      <el-dropdown trigger="click" @command="command">
        <button class="more" :aria-label="`More for ${track.name}`"><MoreHorizontal :size="15" /></button>
        <template #dropdown>
          <el-dropdown-menu>
            <el-dropdown-item command="rename">Rename</el-dropdown-item>
            <el-dropdown-item command="up" :disabled="index === 0">Move up</el-dropdown-item>
            <el-dropdown-item command="down" :disabled="index + 1 === session.document?.tracks.length">
              Move down
            </el-dropdown-item>
            <el-dropdown-item command="fold">{{ folded ? "Unfold" : "Fold small" }}</el-dropdown-item>
            <el-dropdown-item v-if="track.group" command="apart">Move its fader alone</el-dropdown-item>
            <el-dropdown-item v-else command="together" :disabled="meant().length < 2">
              Move the chosen faders together
            </el-dropdown-item>
            <el-dropdown-item command="duplicate">Duplicate</el-dropdown-item>
            <el-dropdown-item command="voice" divided :disabled="track.part === 'voice'"
              >Use for voice</el-dropdown-item
            >
            <el-dropdown-item command="music" :disabled="track.part === 'music'">Use for music</el-dropdown-item>
            <el-dropdown-item command="effect" :disabled="track.part === 'effect'">Use for effects</el-dropdown-item>
            <el-dropdown-item command="remove" divided>Remove the track</el-dropdown-item>
          </el-dropdown-menu>
        </template>
      </el-dropdown>
    </div>
    <div class="top facts-row">
      <p class="soft facts cut">
        {{ channels }} · {{ track.way?.on && track.part !== "voice" ? "makes way" : track.part }}{{ panText
        }}{{ track.group ? " · grouped" : "" }}
      </p>
      <TrackTaken v-if="treated" :track="track" />
      <button
        v-if="track.part === 'voice'"
        class="arm"
        :aria-pressed="desk.armed.value === track.id"
        :disabled="desk.recorder.busy"
        :title="desk.armed.value === track.id ? 'Recording goes onto this track' : 'Record onto this track'"
        @click="desk.armed.value = desk.armed.value === track.id ? '' : track.id"
      >
        <Mic :size="12" aria-hidden="true" /><span class="visually-hidden">Record onto {{ track.name }}</span>
      </button>
    </div>
    <div class="controls">
      <button
        class="switch"
        :aria-pressed="track.mute"
        :title="track.mute ? 'Unmute (Q)' : 'Mute (Q)'"
        @click="set({ mute: !track.mute })"
      >
        <span aria-hidden="true">M</span><span class="visually-hidden">Mute {{ track.name }}</span>
      </button>
      <button
        class="switch"
        :aria-pressed="track.solo"
        :title="track.solo ? 'End solo (W)' : 'Solo (W); with Ctrl: this track alone'"
        @click="$event.ctrlKey ? acts.soloAlone(track.id) : set({ solo: !track.solo })"
      >
        <span aria-hidden="true">S</span><span class="visually-hidden">Solo {{ track.name }}</span>
      </button>
      <el-slider
        class="fader"
        :model-value="position"
        :min="LOWEST - 1"
        :max="LOUDEST"
        :step="0.5"
        :show-tooltip="false"
        :aria-label="`Fader of ${track.name}`"
        :format-value-text="() => levelText(track.fader)"
        @input="slide"
        @change="gesture = ''"
        @dblclick="acts.setFader(track.id, 0)"
      />
      <ValueField
        class="level"
        :value="track.fader"
        :text="figure(track.fader, true)"
        :parse="parseLevel"
        :label="`Fader of ${track.name} in dB`"
        @change="(fader: number) => acts.setFader(track.id, fader)"
      />
    </div>
    <TrackMeter :index="index" />
  </section>
</template>

<style scoped>
.card {
  flex: none;
  width: var(--card-width);
  padding: 7px 10px 4px 13px;
  border-left: 5px solid var(--ink);
  border-right: 1px solid var(--rule-strong);
  background: var(--sheet);
  font-size: 12px;
}
.card {
  position: relative;
  user-select: none;
  touch-action: none;
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
.name {
  flex: 1;
  min-width: 0;
  padding: 0;
  border: 0;
  background: none;
  font-size: 14px;
  font-weight: 700;
  text-align: left;
}
.rename {
  flex: 1;
  min-width: 0;
  font: inherit;
}
.more {
  display: grid;
  padding: 2px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
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
  line-height: 15px;
}
.controls {
  display: flex;
  align-items: center;
  gap: 5px;
  margin-top: 3px;
}
.switch {
  width: 24px;
  height: 22px;
  padding: 0;
  border: 1px solid var(--rule-strong);
  border-radius: 5px;
  background: var(--sheet);
  font-size: 11px;
  font-weight: 700;
  color: var(--ink-soft);
  cursor: pointer;
}
.switch[aria-pressed="true"] {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--ink-inverse);
}
.arm {
  display: grid;
  padding: 2px;
  border: 0;
  border-radius: 4px;
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}
.arm[aria-pressed="true"] {
  background: var(--alarm);
  color: var(--ink-inverse);
}
.fader {
  flex: 1;
  min-width: 0;
  height: 22px;
  margin: 0 7px;
  --el-slider-height: 4px;
  --el-slider-button-size: 12px;
  --el-slider-main-bg-color: var(--rule-strong);
  --el-slider-runway-bg-color: var(--rule);
}
.fader :deep(.el-slider__button) {
  width: 9px;
  height: 14px;
  border: 0;
  border-radius: 3px;
  background: var(--part);
}
.level {
  width: 44px;
}
</style>
