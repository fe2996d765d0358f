<script setup lang="ts">
import { isNight } from "../../model/night";
import { computed, onBeforeUnmount, ref, useTemplateRef, watch, watchPostEffect } from "vue";
import type { Schema } from "../../api/client";
import { drawLead, type LeadPicture } from "../../drawing/lead";
import { drawSoon } from "../../drawing/queue";
import { figure, RATE, timeText } from "../../model/units";
import { HOP, NOBODY } from "../../model/lead";
import { useBalance } from "../../stores/balance";
import { useDeskContext } from "../state/context";
import LeadCard from "./LeadCard.vue";
import { leadText } from "./leading";

/** How far speech stands above everything else, along time, against what is aimed at; in red and by name where it misses that. */
const desk = useDeskContext();
const balance = useBalance();
const canvas = useTemplateRef<HTMLCanvasElement>("canvas");
const HEIGHT = 62;
/** A place is heard from so many frames before it. */
const RUN_UP = 2 * RATE;

void balance.list().catch(() => undefined);

const drawn = ref({ from: 0, scale: 1, width: 1 });
const aim = computed(() => balance.shown?.target);
const speaks = computed(() => balance.shown?.typical !== undefined);
const place = computed(() => {
  const { laid } = desk.time;
  const { from, scale, width } = drawn.value;
  const left = (from - laid.origin) / laid.scale;
  return { width: `${width}px`, transform: `translateX(${left}px) scaleX(${scale / laid.scale})` };
});

/** Pixels that the name of what covers the voice takes at most, and under which there is no room for it. */
const LONGEST = 260;
const SHORTEST = 34;
const misses = computed(() => {
  const all = (balance.shown?.misses ?? []).filter((m) => !m.excused);
  return all.flatMap((m, i) => {
    const left = desk.time.x(m.from);
    const next = all[i + 1] ? desk.time.x(all[i + 1]!.from) : Infinity;
    if (left > desk.time.width || desk.time.x(m.to) < 0) return [];
    const room = Math.min(LONGEST, next - left - 4, desk.time.width - Math.max(0, left));
    return [{ m, left: Math.max(0, left), width: desk.time.x(m.to) - left, room, named: room >= SHORTEST }];
  });
});

function draw(): void {
  if (!canvas.value || !balance.shown) return;
  const { laid, laidFrom, laidTo } = desk.time;
  const picture: LeadPicture = {
    leads: balance.short,
    misses: balance.shown.misses,
    aim: balance.shown.target.lead,
    from: laid.origin + laidFrom * laid.scale,
    scale: laid.scale,
    width: Math.ceil(laidTo - laidFrom),
    height: HEIGHT,
    measured: balance.shown.measured,
  };
  drawLead(canvas.value, picture);
  drawn.value = { from: picture.from, scale: picture.scale, width: picture.width };
}
const name = {};
watch(
  [() => balance.shown, () => desk.time.laid, () => desk.time.width, isNight],
  () => drawSoon(name, draw, () => 0),
  {
    flush: "post",
    immediate: true,
  },
);
const content = useTemplateRef<HTMLElement>("content");
watchPostEffect(() => {
  if (content.value) content.value.style.transform = desk.time.transform;
});

/** Goes to a place and plays from a little before. */
function go(at: number): void {
  const from = Math.max(0, Math.round(at) - RUN_UP);
  if (!desk.recorder.busy) reveal(from, at);
  desk.playFrom(from);
}

function reveal(from: number, at: number): void {
  const { time } = desk;
  if (from < time.start || at > time.end) time.show(from - time.width * time.scale * 0.1);
}

function frameAt(event: MouseEvent): number {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
  return Math.max(0, desk.time.frame(event.clientX - box.left));
}

function press(event: MouseEvent): void {
  const at = frameAt(event);
  const miss = balance.shown?.misses.find((m) => at >= m.from && at < m.to);
  go(miss ? miss.from : at);
}

function said(at: number): string {
  const hop = Math.floor(at / HOP);
  const [short, long] = [balance.short[hop] ?? NOBODY, balance.long[hop] ?? NOBODY];
  if (short === NOBODY) return `${timeText(at, 1)} · nobody speaks`;
  const miss = balance.shown?.misses.find((m) => at >= m.from && at < m.to);
  const under = miss ? ` · ${figure(miss.short)} under ${aim.value!.lead}${miss.name ? `: ${miss.name}` : ""}` : "";
  return `${timeText(at, 1)} · leads by ${leadText(long / 10)} LU over 3 s, ${leadText(short / 10)} over 0.4 s${under}`;
}

function hover(event: MouseEvent): void {
  desk.tag.value = { x: event.clientX, y: event.clientY, text: said(frameAt(event)) };
}

onBeforeUnmount(() => (desk.tag.value = undefined));

const label = (m: Schema["Miss"]) => `${m.name ? `${m.name} covers the voice` : "the voice is covered"}`;
</script>

<template>
  <div class="lead" role="row" data-row="lead" aria-label="Voice lead" :style="{ height: `${HEIGHT + 1}px` }">
    <LeadCard :missed="misses.length > 0" />
    <div class="strip" @click="press" @mousemove="hover" @mouseleave="desk.tag.value = undefined">
      <div ref="content" class="content"><canvas ref="canvas" :style="place" aria-hidden="true"></canvas></div>
      <p v-if="balance.shown && !speaks" class="soft none">
        How far speech stands above everything else is shown here as soon as somebody speaks on a voice track.
      </p>
      <span v-if="aim && speaks" class="figures aim-mark" aria-hidden="true">{{ aim.lead }}</span>
      <div v-for="v in misses" :key="v.m.from" role="gridcell" class="cell">
        <button
          class="miss"
          :data-stop="`miss:${v.m.from}`"
          :style="{ left: `${v.left}px`, maxWidth: `${Math.max(24, v.room)}px` }"
          :title="v.m.text"
          :aria-label="`${timeText(v.m.from, 1)}: ${v.m.text} Play from two seconds before`"
          @click.stop="go(v.m.from)"
        >
          <span class="cut">{{ v.named ? label(v.m) : "!" }}</span>
        </button>
      </div>
    </div>
  </div>
</template>

<style scoped>
.lead {
  display: flex;
  border-bottom: 1px solid var(--rule-strong);
}
.strip {
  position: relative;
  flex: 1;
  min-width: 0;
  overflow: hidden;
  background: var(--sheet);
  cursor: pointer;
}
.content {
  position: absolute;
  inset: 0;
  transform-origin: 0 0;
}
canvas {
  position: absolute;
  top: 0;
  left: 0;
  height: 100%;
  transform-origin: 0 0;
}
.aim-mark {
  position: absolute;
  top: 23px;
  left: 2px;
  padding: 0 2px;
  background: var(--sheet);
  font-size: var(--type-small);
  line-height: 12px;
  color: var(--ink-soft);
  pointer-events: none;
}
.none {
  position: relative; /* over the line of what is aimed at */
  width: fit-content;
  margin: 20px 14px 0;
  background: var(--sheet);
  font-size: var(--type-hint);
}
.miss {
  position: absolute;
  top: 1px;
  display: block;
  padding: 0 4px;
  border: 0;
  border-radius: var(--radius-chip);
  background: var(--sheet);
  color: var(--alarm);
  font-size: var(--type-small);
  font-weight: 700;
  min-width: 24px;
  line-height: 24px;
  cursor: pointer;
}
.miss span {
  display: block;
}
</style>
