<script setup lang="ts">
import { isNight } from "../../model/night";
import UPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import { onBeforeUnmount, onMounted, useTemplateRef, watch } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { drawUnder, HIGHEST, HOP, LOWEST } from "../../drawing/loudness";
import { token } from "../../drawing/tokens";
import { figure, RATE, timeText } from "../../model/units";
import { NOTHING, useLoudness } from "../../stores/loudness";

/** Loudness over time under the lanes, in step with them: a click goes there. */
const desk = useDeskContext();
const loudness = useLoudness();
const place = useTemplateRef<HTMLElement>("place");
const HEIGHT = 150;
let plot: UPlot | undefined;

const seconds = () => ({ min: desk.time.start / RATE, max: desk.time.end / RATE });

/** What is drawn: no number where there is nothing to measure. */
function data(): UPlot.AlignedData {
  const { momentary, shortTerm, soFar } = loudness;
  const x = Array.from(momentary, (_, i) => (i + 1) * HOP);
  const some = (all: ArrayLike<number>) => Array.from(all, (v) => (v <= NOTHING ? null : v));
  const whole: (number | null)[] = x.map(() => null);
  soFar.forEach((v, s) => (whole[(s + 1) * 10 - 1] = v <= NOTHING ? null : v));
  return [x, some(momentary), some(shortTerm), whole];
}

function said(seconds: number): string {
  const hop = Math.min(loudness.momentary.length - 1, Math.max(0, Math.round(seconds / HOP) - 1));
  const lufs = (v: number | undefined) => (v === undefined || v <= NOTHING ? "–" : figure(v));
  return `${timeText(seconds * RATE, 1)} · ${lufs(loudness.momentary[hop])} LUFS over 0.4 s, ${lufs(loudness.shortTerm[hop])} over 3 s, ${lufs(loudness.soFar[Math.floor(seconds) - 1])} so far`;
}

function make(): void {
  plot?.destroy();
  if (!place.value) return;
  const line = (name: string, width: number, dash?: number[]) => ({
    stroke: token(name),
    width,
    dash,
    points: { show: false },
    spanGaps: false,
  });
  plot = new UPlot(
    {
      width: desk.time.width,
      height: HEIGHT,
      padding: [0, 0, 0, 0],
      legend: { show: false },
      cursor: { y: false, drag: { x: false, y: false }, points: { show: false } },
      scales: {
        x: { time: false, range: () => [seconds().min, seconds().max] },
        y: { range: [LOWEST, HIGHEST] },
      },
      axes: [{ show: false }, { show: false }],
      series: [{}, line("rule-strong", 1), line("ink", 2), { ...line("music", 1.5, [6, 3]), spanGaps: true }],
      hooks: { drawClear: [(u) => loudness.along && drawUnder(u, loudness.along, loudness.truePeak)] },
    },
    data(),
    place.value,
  );
}

onMounted(() => {
  make();
  void loudness.refresh();
});
onBeforeUnmount(() => {
  plot?.destroy();
  desk.tag.value = undefined;
});
watch(isNight, make);
watch(
  () => loudness.along,
  () => plot?.setData(data()),
);
watch(
  () => [desk.time.start, desk.time.scale] as const,
  () => plot?.setScale("x", seconds()),
);
watch(
  () => desk.time.width,
  (width) => plot?.setSize({ width, height: HEIGHT }),
);

const frameAt = (event: MouseEvent) => {
  const box = place.value!.getBoundingClientRect();
  return Math.max(0, desk.time.frame(event.clientX - box.left));
};
function hover(event: MouseEvent): void {
  if (!loudness.along) return;
  desk.tag.value = { x: event.clientX, y: event.clientY, text: said(frameAt(event) / RATE) };
}
</script>

<template>
  <section class="loudness-strip" aria-label="Loudness over time">
    <div class="card">
      <h3>Loudness</h3>
      <ul class="plain-list">
        <li><span class="key momentary"></span>0.4 s</li>
        <li><span class="key short"></span>3 s</li>
        <li><span class="key sofar"></span>so far</li>
        <li><span class="key band"></span>target</li>
        <li><span class="key ends"></span>range</li>
        <li><span class="key over"></span>peak over</li>
      </ul>
      <div class="scale figures" aria-hidden="true">
        <span v-for="v in [-10, -20, -30, -40]" :key="v" :style="{ top: `${(v / (LOWEST - HIGHEST)) * HEIGHT}px` }">{{
          figure(v).replace(".0", "")
        }}</span>
      </div>
    </div>
    <div
      ref="place"
      class="place"
      @click="desk.seek(frameAt($event))"
      @mousemove="hover"
      @mouseleave="desk.tag.value = undefined"
    >
      <p v-if="loudness.problem" class="soft wait">{{ loudness.problem }}</p>
      <div
        class="playhead"
        :style="{ transform: `translateX(${desk.time.x(desk.playhead.value)}px)` }"
        aria-hidden="true"
      ></div>
    </div>
  </section>
</template>

<style scoped>
.loudness-strip {
  display: flex;
  flex: none;
  height: 151px;
  border-top: 1px solid var(--rule-strong);
  background: var(--sheet);
}
.card {
  position: relative;
  flex: none;
  width: var(--card-width);
  padding: 8px 12px;
  border-right: 1px solid var(--rule);
  font-size: var(--type-small);
}
h3 {
  font-size: var(--type-label);
}
.plain-list li {
  display: flex;
  gap: 8px;
  align-items: center;
  line-height: 17px;
}
.key {
  width: 20px;
  height: 0;
  border-top: 2px solid var(--ink);
}
.key.momentary {
  border-top: 1px solid var(--rule-strong);
}
.key.sofar {
  border-top: 2px dashed var(--music);
}
.key.band {
  height: 9px;
  border: 0;
  background: var(--voice-tint);
}
.key.ends {
  border-top: 1px dashed var(--ink-soft);
}
.key.over {
  width: 4px;
  height: 8px;
  margin-inline: 8px;
  border: 0;
  background: var(--alarm);
}
.scale span {
  position: absolute;
  right: 4px;
  margin-top: -7px;
  color: var(--ink-soft);
  font-size: var(--type-small);
}
.place {
  position: relative;
  flex: 1;
  min-width: 0;
  overflow: hidden;
  cursor: pointer;
}
.playhead {
  position: absolute;
  inset-block: 0;
  left: 0;
  width: 2px;
  background: var(--alarm);
  pointer-events: none;
}
.wait {
  position: absolute;
  inset: 40% 0 auto;
  text-align: center;
}
</style>
