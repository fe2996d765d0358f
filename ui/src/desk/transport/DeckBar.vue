<script setup lang="ts">
import { refDebounced, refThrottled } from "@vueuse/core";
import { ElSlider } from "element-plus";
import { Mic, Pause, Play, Repeat2, SkipBack, Square } from "lucide-vue-next";
import { computed, watch } from "vue";
import { figure, SILENCE } from "../../model/units";
import { useLists } from "../../stores/lists";
import { useMixdowns } from "../../stores/mixdowns";
import { useSession } from "../../stores/session";
import { COARSEST, FINEST, useDeskContext } from "../state/context";
import DeckClock from "./DeckClock.vue";
import LevelMeter from "./LevelMeter.vue";
import LoudnessNow from "./LoudnessNow.vue";
import { togglePlay, toggleRecord } from "./transport";

const session = useSession();
const desk = useDeskContext();
const mixdowns = useMixdowns();
const lists = useLists();
const settled = refDebounced(
  computed(() => session.version),
  600,
);

// Asked for when the hand rests; measured in the background, and told when that is done.
watch(settled, () => void mixdowns.measure().catch(() => undefined), { immediate: true });

// While a hand moves, about how loud the show becomes is asked for as often as that is answered.
const moving = refThrottled(
  computed(() => session.version),
  120,
);
watch(moving, (version, before) => before > 0 && version > before && void mixdowns.estimate().catch(() => undefined));

const target = computed(() => {
  const { target: key, own } = session.document ?? {};
  return key === "own" ? own : lists.targets.find((t) => t.key === key);
});
const outdated = computed(() => mixdowns.measured?.version !== session.version);
/** What is said of the whole show: what was measured, or what is estimated since. */
const about = computed(() => {
  const [m, e] = [mixdowns.measured, mixdowns.estimated];
  if (e && outdated.value && e.version > (m?.version ?? 0))
    return { integrated: e.integrated, verdict: e.verdict, estimated: true };
  return { integrated: m?.loudness?.integrated ?? SILENCE, verdict: m?.verdict, estimated: false };
});
const whole = computed(() => about.value.integrated);
const off = computed(() => (about.value.verdict?.loud ?? 0) !== 0);
/** Zoom as a slider: the right end shows single syllables, the left one many hours. */
const zoom = computed(() => 100 - (100 * Math.log(desk.time.scale / FINEST)) / Math.log(COARSEST / FINEST));
function setZoom(value: number | number[]): void {
  if (Math.round(zoom.value) === value) return;
  desk.time.zoom((FINEST * (COARSEST / FINEST) ** ((100 - (value as number)) / 100)) / desk.time.scale);
}
</script>

<template>
  <footer aria-label="Deck">
    <button class="round" title="To the start (Home)" aria-label="To the start" @click="desk.seek(0)">
      <SkipBack :size="15" />
    </button>
    <button
      class="play"
      :title="desk.player.state.playing ? 'Pause (Space)' : 'Play (Space)'"
      :aria-label="desk.player.state.playing ? 'Pause' : 'Play'"
      :disabled="session.length === 0 && !desk.recorder.busy"
      @click="togglePlay(desk, session.length)"
    >
      <component :is="desk.player.state.playing ? Pause : Play" :size="22" fill="currentColor" />
    </button>
    <button
      class="round record"
      :class="{ going: desk.recorder.busy }"
      :title="desk.recorder.busy ? 'End the recording (R)' : 'Record at the playhead (R)'"
      :aria-label="desk.recorder.busy ? 'End the recording' : 'Record'"
      :disabled="!session.document || desk.recorder.state.phase === 'saving'"
      @click="toggleRecord(desk)"
    >
      <component :is="desk.recorder.busy ? Square : Mic" :size="15" />
    </button>
    <button
      class="round"
      :aria-pressed="desk.loopOn.value"
      title="Loop the chosen stretch, or everything (L)"
      aria-label="Loop"
      @click="desk.loopOn.value = !desk.loopOn.value"
    >
      <Repeat2 :size="16" />
    </button>
    <DeckClock />
    <div class="meter">
      <span class="name">Out, true peak</span>
      <LevelMeter :ceiling="target?.truePeak ?? -1" />
    </div>
    <LoudnessNow />
    <div class="reading whole">
      <span class="name">Whole show</span>
      <span
        class="figures"
        :class="{ off, outdated }"
        :title="
          about.estimated
            ? `About so loud, to half a unit; it is being measured. ${about.verdict?.text}`
            : outdated
              ? 'Being measured again; this was before the last change'
              : about.verdict?.text
        "
      >
        <span v-if="about.estimated && whole > SILENCE" class="about" aria-hidden="true">≈ </span
        >{{ whole > SILENCE ? figure(whole) : "–" }}<small> LUFS</small>
        <span v-if="off" class="visually-hidden">, {{ about.verdict?.text }}</span>
        <span v-if="outdated" class="visually-hidden">, being measured</span>
      </span>
    </div>
    <div class="reading">
      <span class="name">Target</span>
      <span v-if="target" class="figures" :title="target.name">
        {{ figure(target.integrated).replace(".0", "") }}<small> ±{{ target.tolerance }}</small>
      </span>
    </div>
    <label class="zoom">
      <span class="name">Zoom</span>
      <el-slider
        :model-value="Math.round(zoom)"
        :min="0"
        :max="100"
        :show-tooltip="false"
        aria-label="Zoom"
        @input="setZoom"
      />
    </label>
  </footer>
</template>

<style scoped>
footer {
  display: flex;
  align-items: center;
  gap: 16px;
  padding: 0 20px;
  background: var(--deck);
  color: var(--deck-ink);
}
button {
  display: grid;
  place-items: center;
  flex: none;
  padding: 0;
  border-radius: var(--radius-round);
  cursor: pointer;
}
.round {
  width: 32px;
  height: 32px;
  border: 1px solid var(--deck-ink-soft);
  background: none;
}
.round[aria-pressed="true"] {
  background: var(--deck-ink);
  color: var(--deck);
}
.record.going {
  background: var(--alarm);
  border-color: var(--deck-alarm);
}
.play {
  width: 44px;
  height: 44px;
  border: 0;
  background: var(--deck-ink);
  color: var(--deck);
}
.play:disabled {
  opacity: 0.45;
  cursor: default;
}
.meter {
  flex: 1;
  min-width: 120px;
}
.name {
  display: block;
  font-size: var(--type-small);
  color: var(--deck-ink-soft);
}
.reading {
  white-space: nowrap;
}
.reading .figures {
  font-size: var(--type-lead);
  font-weight: 600;
}
small {
  font-weight: 400;
  color: var(--deck-ink-soft);
}
.outdated {
  text-decoration: underline dotted 1px;
  text-underline-offset: 4px;
}
.off {
  padding: 0 4px;
  border-radius: var(--radius-small);
  background: var(--deck-alarm);
  color: var(--deck);
}
.off small {
  color: inherit;
}
.zoom {
  width: 118px;
  padding-left: 16px;
  border-left: 1px solid var(--deck-rule);
}
.zoom :deep(.el-slider) {
  height: 20px;
  --el-slider-height: 3px;
  --el-slider-button-size: 13px;
  --el-slider-main-bg-color: var(--deck-ink-soft);
  --el-slider-runway-bg-color: var(--deck-rule);
}
@media (max-width: 1100px) {
  footer {
    gap: 10px;
  }
}
@media (max-width: 900px) {
  footer {
    flex-wrap: wrap;
    gap: 6px 12px;
    padding: 8px 12px;
  }
  .meter {
    flex-basis: 100%;
    order: 1;
  }
  .zoom {
    width: 90px;
    padding-left: 0;
    border-left: 0;
  }
}
</style>
