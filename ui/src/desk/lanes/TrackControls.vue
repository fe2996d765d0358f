<script setup lang="ts">
import { ElSlider } from "element-plus";
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { keyNames, modified } from "../../model/machine";
import { figure, levelText, LOUDEST, parseLevel, SILENCE } from "../../model/units";
import { useSession } from "../../stores/session";
import { useActs } from "../acts/acts";
import { useDeskContext } from "../state/context";
import { newGesture } from "../widgets/drag";
import ValueField from "../widgets/ValueField.vue";

/** A track's mute, solo and fader. */
const props = defineProps<{ track: Schema["Track"] }>();
const session = useSession();
const acts = useActs(useDeskContext());
let gesture = "";

/** The fader's way: silence at the left end, then −48 to +12 dB. */
const LOWEST = -48;
const position = computed(() => (props.track.fader <= SILENCE ? LOWEST - 1 : Math.max(LOWEST, props.track.fader)));

function set(change: Omit<Schema["TrackChange"], "track">): void {
  void session.edit({ type: "set-tracks", tracks: [{ track: props.track.id, ...change }] });
}

function slide(value: number | number[]): void {
  gesture ||= newGesture();
  const v = value as number;
  if (v === position.value) return;
  acts.setFader(props.track.id, v < LOWEST ? SILENCE : v, gesture);
}
</script>

<template>
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
      :title="track.solo ? 'End solo (W)' : `Solo (W); with ${keyNames('Ctrl')}: this track alone`"
      @click="modified($event) ? acts.soloAlone(track.id) : set({ solo: !track.solo })"
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
</template>

<style scoped>
.controls {
  display: flex;
  align-items: center;
  gap: 5px;
  margin-top: 3px;
}
.switch {
  flex: none;
  width: 24px;
  height: 24px;
  padding: 0;
  border: 1px solid var(--field);
  border-radius: var(--radius-button);
  background: var(--sheet);
  font-size: var(--type-small);
  font-weight: 700;
  color: var(--ink-soft);
  cursor: pointer;
}
.switch[aria-pressed="true"] {
  background: var(--ink);
  border-color: var(--ink);
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
  border-radius: var(--radius-chip);
  background: var(--part);
}
.controls :deep(.level) {
  width: 44px;
}
</style>
