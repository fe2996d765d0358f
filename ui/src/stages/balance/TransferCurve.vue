<script setup lang="ts">
import { computed, useTemplateRef } from "vue";
import type { Schema } from "../../api/client";
import { newGesture, startDrag } from "../../desk/widgets/drag";
import { figure } from "../../model/units";
import { marksOf, outlineOf, outOf, shareOver, type Mark } from "./curve";
import CurveDot from "./CurveDot.vue";
import { useLists } from "../../stores/lists";
import { useSession } from "../../stores/session";

/**
 * What a treatment at rest makes of a steady level, from left to right as it comes in, upwards as it goes out. Along the
 * bottom stands how the levels of the voice are spread, so that one sees how much of it a threshold reaches.
 */
const props = defineProps<{
  track: string;
  treatment: Schema["Treatment"];
  spread: Schema["Spread"] | undefined;
}>();
const lists = useLists();
const session = useSession();
const emit = defineEmits<{
  /** A threshold is to be somewhere else; the value is made of the one that it has when that is done. */
  threshold: [stage: Mark["stage"], key: string, value: (now: number) => number, gesture?: string];
}>();
const svg = useTemplateRef<SVGSVGElement>("svg");

const LOWEST = -78;
const WIDTH = 284;
const HEIGHT = 168;
/** How high the histogram may reach. */
const TALL = 0.5;
const x = (level: number) => Math.min(1, Math.max(0, (level - LOWEST) / -LOWEST)) * WIDTH;
const y = (level: number) => HEIGHT - (x(level) / WIDTH) * HEIGHT;

const line = computed(() => {
  const points = Array.from({ length: 4 * -LOWEST + 1 }, (_, i) => LOWEST + i / 4);
  return points.map((level) => `${x(level).toFixed(1)},${y(outOf(props.treatment, level)).toFixed(1)}`).join(" ");
});
const marks = computed(() => marksOf(props.treatment));

/** Names stand left of their lines, where there is room for them. */
const ROOM_FOR_NAME = 96;
const leftOf = (m: Mark) => x(m.at) > ROOM_FOR_NAME;

const byPeaks = computed(() => {
  const { gate, expander, compressor } = props.treatment;
  return !!(gate?.on || expander?.on || (compressor?.on && compressor.detector === "peak"));
});
const byLevels = computed(() => !!props.treatment.compressor?.on && props.treatment.compressor.detector !== "peak");
/** What is drawn filled: what the compressor goes by, or what the others do if it is off. */
const first = computed(() => (byLevels.value || !byPeaks.value ? props.spread?.levels : props.spread?.peaks));
/** What is drawn as an outline besides, where the stages do not go by the same. */
const second = computed(() => (byLevels.value && byPeaks.value ? props.spread?.peaks : undefined));
const spoken = computed(() => (first.value?.bins.length ?? 0) > 0);

const shape = (h: Schema["Histogram"] | undefined) => (h && spoken.value ? outlineOf(h, x, HEIGHT, TALL * HEIGHT) : "");

/** Where the room is, as the stage sees it that is to tell it from the voice. */
const room = computed(() => (byPeaks.value ? props.spread?.peaks : first.value)?.floor ?? -90);

/** How much of the speech lies over the compressor's threshold. */
const over = computed(() => {
  const c = props.treatment.compressor;
  const h = c?.detector === "peak" ? props.spread?.peaks : props.spread?.levels;
  return c?.on && h ? shareOver(h, c.threshold) : undefined;
});

function drag(mark: Mark, event: PointerEvent): void {
  const gesture = newGesture();
  const scale = -LOWEST / svg.value!.getBoundingClientRect().width;
  startDrag(event, {
    threshold: 1,
    move: ({ dx }) => {
      const at = within(mark, mark.at + dx * scale);
      emit("threshold", mark.stage, mark.key, () => at, gesture);
    },
    back: () => session.takeBack(gesture),
  });
}

function key(mark: Mark, event: KeyboardEvent): void {
  const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
  if (!by) return;
  event.preventDefault();
  event.stopPropagation();
  const step = by * (event.shiftKey ? 0.1 : 1);
  emit("threshold", mark.stage, mark.key, (now) => within(mark, now + step));
}

const lowestOf = (mark: Mark) => lists.range(mark.stage, mark.key).low;

/** A level where a threshold can be, to a tenth of a dB. */
function within(mark: Mark, level: number): number {
  return Math.round(Math.max(lowestOf(mark), Math.min(0, level)) * 10) / 10;
}
</script>

<template>
  <figure>
    <svg ref="svg" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" role="group" aria-label="Transfer curve">
      <defs>
        <pattern id="room" width="5" height="5" patternUnits="userSpaceOnUse">
          <path d="M0,5L5,0" class="hatch" />
        </pattern>
      </defs>
      <rect v-if="spread && room > LOWEST" x="0" y="0" :width="x(room)" :height="HEIGHT" fill="url(#room)" />
      <path :d="shape(first)" class="voice" />
      <path v-if="second" :d="shape(second)" class="peaks" />
      <line
        v-for="db in [-60, -40, -20]"
        :key="db"
        :x1="x(db)"
        :x2="x(db)"
        :y1="HEIGHT - 4"
        :y2="HEIGHT"
        class="same"
      />
      <line x1="0" :y1="HEIGHT" :x2="WIDTH" y2="0" class="same" />
      <polyline :points="line" class="curve" />
      <CurveDot :track="track" :x="x" :y="y" />
      <g
        v-for="(m, i) in marks"
        :key="m.stage"
        class="mark"
        tabindex="0"
        role="slider"
        :aria-label="`Threshold of the ${m.stage}`"
        :aria-valuenow="m.at"
        :aria-valuemin="lowestOf(m)"
        aria-valuemax="0"
        :aria-valuetext="`${figure(m.at)} dB`"
        :data-mark="m.stage"
        @pointerdown="drag(m, $event)"
        @keydown="key(m, $event)"
      >
        <rect :x="x(m.at) - 7" y="0" width="14" :height="HEIGHT" class="touch" />
        <line :x1="x(m.at)" :x2="x(m.at)" y1="0" :y2="HEIGHT" />
        <path :d="`M${x(m.at) - 5},0h10l-5,8z`" />
        <text :x="x(m.at) + (leftOf(m) ? -9 : 9)" :y="11 + 13 * i" :text-anchor="leftOf(m) ? 'end' : 'start'">
          {{ m.stage }} {{ figure(m.at) }}
        </text>
      </g>
      <text v-for="db in [-60, -40, -20]" :key="db" :x="x(db)" :y="HEIGHT - 6" text-anchor="middle" class="axis">
        {{ figure(db).replace(".0", "") }}
      </text>
    </svg>
    <figcaption class="soft">
      <template v-if="spoken">
        <span><i class="swatch voice"></i>{{ byLevels || !byPeaks ? "speech, level of 10 ms" : "speech, peaks" }}</span>
        <span v-if="second"><i class="swatch peaks"></i>its peaks, for gate and expander</span>
        <span><i class="swatch room"></i>room</span>
        <span v-if="over !== undefined" data-over>
          {{ Math.round(100 * over) }} % of the speech is over the compressor’s threshold.
        </span>
      </template>
      <span v-else-if="spread">Nobody can be told to speak on this track.</span>
      <span v-else>Listening to the voice…</span>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 6px 0 8px;
}
svg {
  display: block;
  width: 100%;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius-clip);
  background: var(--paper);
  touch-action: none;
}
.hatch {
  stroke: var(--rule-strong);
}
.voice {
  fill: var(--voice-tint);
}
.peaks {
  fill: none;
  stroke: var(--voice);
  stroke-dasharray: 2 2;
}
.same {
  stroke: var(--rule-strong);
}
.curve {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
  pointer-events: none;
}
.mark {
  cursor: ew-resize;
}
.mark line {
  stroke: var(--ink-soft);
}
.mark path {
  fill: var(--ink);
}
.touch {
  fill: transparent;
}
.mark:focus-visible {
  outline: none;
}
.mark:focus-visible line,
.mark:hover line {
  stroke: var(--focus);
  stroke-width: 2;
}
text {
  font-size: var(--type-small);
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
  pointer-events: none;
}
.axis {
  fill: var(--ink-soft);
  font-size: var(--type-small);
}
figcaption {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  margin-top: 4px;
  font-size: var(--type-small);
}
.swatch {
  display: inline-block;
  width: 12px;
  height: 9px;
  margin-right: 5px;
  border: 1px solid transparent;
}
.swatch.voice {
  background: var(--voice-tint);
}
.swatch.peaks {
  border: 1px dashed var(--voice);
}
.swatch.room {
  background: repeating-linear-gradient(135deg, var(--rule-strong) 0 1px, transparent 1px 4px);
}
</style>
