<script setup lang="ts">
import { computed, useTemplateRef } from "vue";
import { RATE, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../state/context";
import { newGesture, startDrag } from "../widgets/drag";
import FindingMarks from "./FindingMarks.vue";
import NoteMarks from "./NoteMarks.vue";
import PlayheadGrip from "./PlayheadGrip.vue";
import RemarkMarks from "./RemarkMarks.vue";
import StretchEnds from "./StretchEnds.vue";
import { snap, snapPlaces } from "./snap";
import { dragStretch } from "./stretch";

const session = useSession();
const desk = useDeskContext();
const ruler = useTemplateRef<HTMLElement>("ruler");
const STEPS = [
  0.0002, 0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800,
  3600,
];

const ticks = computed(() => {
  const { time } = desk;
  const fewest = 68;
  const step = (STEPS.find((s) => (s * RATE) / time.scale >= fewest) ?? 3600) * RATE;
  const decimals = step < RATE / 1000 ? 4 : step < RATE / 100 ? 3 : step < RATE / 10 ? 2 : step < RATE ? 1 : 0;
  const out = [];
  for (let at = Math.floor(time.start / step) * step; at < time.end; at += step) {
    out.push({ at, x: time.x(at), text: timeText(at, decimals) });
  }
  return out;
});

const flags = computed(() =>
  Object.entries(session.document?.markers ?? {})
    .filter(([, m]) => m.length === 0)
    .map(([id, m]) => ({ id, name: m.name, x: desk.time.x(m.at), at: m.at }))
    .filter((m) => m.x >= -2 && m.x <= desk.time.width),
);

/** Named ranges, as bars whose ends can be dragged. */
const ranges = computed(() =>
  Object.entries(session.document?.markers ?? {})
    .filter(([, m]) => m.length > 0 && !m.fills)
    .map(([id, m]) => ({
      id,
      name: m.name,
      at: m.at,
      length: m.length,
      chapter: m.chapter ?? false,
      x: Math.max(-2, desk.time.x(m.at)),
      width: desk.time.x(m.at + m.length) - Math.max(-2, desk.time.x(m.at)),
    }))
    .filter((m) => m.width > 0 && m.x <= desk.time.width)
    .map((m) => ({ ...m, beside: besideFlags(m.x) })),
);

/** About how wide a flag is. */
const flagWidth = (name: string) => Math.min(110, 10 + 6 * name.length);

/** How far to the right a name that begins at a place is moved, so that no flag hides it. */
function besideFlags(x: number): number {
  return Math.max(0, ...flags.value.filter((f) => f.x < x + 30).map((f) => f.x + flagWidth(f.name) - x));
}

/** Drags an end of a named range, or the whole of it. */
function dragRange(
  event: PointerEvent,
  r: { id: string; at: number; length: number },
  part: "start" | "end" | "all",
): void {
  const gesture = newGesture();
  const places = snapPlaces(session.document!, desk).filter((p) => p !== r.at && p !== r.at + r.length);
  startDrag(event, {
    move: ({ dx, event: e }) => {
      const edge = (part === "end" ? r.at + r.length : r.at) + dx * desk.time.scale;
      const to = Math.max(0, Math.round(edge + snap(desk, places, [edge], e.altKey)));
      const end = r.at + r.length;
      const at = part === "end" ? r.at : part === "start" ? Math.min(to, end - 480) : to;
      const length = part === "end" ? Math.max(480, to - r.at) : part === "start" ? end - at : r.length;
      desk.tag.value = { x: e.clientX, y: e.clientY, text: timeText(to) };
      void session.edit({ type: "set-markers", markers: [{ marker: r.id, at, length }] }, gesture);
    },
    back: () => session.takeBack(gesture),
    end: () => (desk.tag.value = desk.guide.value = undefined),
    click: () => choose(r),
  });
}

/** Chooses the stretch that a range gives a name to, and goes to where it begins. */
function choose(r: { at: number; length: number }): void {
  desk.selection.range = { from: r.at, to: r.at + r.length };
  desk.seek(r.at);
}

function press(event: PointerEvent): void {
  const { left } = ruler.value!.getBoundingClientRect();
  dragStretch(event, desk, session, {
    left,
    on: () => undefined,
    click: (_, at) => {
      desk.selection.range = undefined;
      desk.seek(at);
    },
  });
}

function dragMarker(event: PointerEvent, id: string, at: number): void {
  const gesture = newGesture();
  const places = snapPlaces(session.document!, desk).filter((p) => p !== at);
  startDrag(event, {
    move: ({ dx, event: e }) => {
      const free = at + dx * desk.time.scale;
      const to = Math.max(0, free + snap(desk, places, [free], e.altKey));
      desk.tag.value = { x: e.clientX, y: e.clientY, text: timeText(to) };
      void session.edit({ type: "set-markers", markers: [{ marker: id, at: Math.round(to) }] }, gesture);
    },
    back: () => session.takeBack(gesture),
    end: () => (desk.tag.value = desk.guide.value = undefined),
    click: () => desk.seek(at),
  });
}
</script>

<template>
  <div class="row" role="row" data-row="marks" aria-label="Marks along time">
    <div ref="ruler" class="ruler" @pointerdown="press">
      <FindingMarks />
      <RemarkMarks />
      <NoteMarks />
      <span v-for="t in ticks" :key="t.at" class="tick figures" :style="{ left: `${t.x}px` }">{{ t.text }}</span>
      <StretchEnds />
      <div
        v-for="r in ranges"
        :key="r.id"
        class="named"
        :data-marker="r.id"
        :class="{ chapter: r.chapter }"
        :style="{ left: `${r.x}px`, width: `${r.width}px` }"
        :title="`${r.name}, ${timeText(r.at)} to ${timeText(r.at + r.length)}${r.chapter ? ', a chapter' : ''}`"
        role="gridcell"
        tabindex="-1"
        :data-stop="`range:${r.id}`"
        :aria-label="`Range ${r.name}, ${timeText(r.at)} to ${timeText(r.at + r.length)}${r.chapter ? ', a chapter' : ''}`"
        @keydown.enter.prevent="choose(r)"
      >
        <span class="end" @pointerdown="dragRange($event, r, 'start')"></span>
        <span class="cut what" :style="{ paddingLeft: `${r.beside}px` }" @pointerdown="dragRange($event, r, 'all')">{{
          r.name
        }}</span>
        <span class="end" @pointerdown="dragRange($event, r, 'end')"></span>
      </div>
      <div v-for="f in flags" :key="f.id" role="gridcell" class="cell">
        <button
          class="flag cut"
          :data-stop="`flag:${f.id}`"
          :style="{ left: `${f.x}px` }"
          :title="`${f.name}, ${timeText(f.at)}`"
          :aria-label="`Marker ${f.name}, ${timeText(f.at)}`"
          @pointerdown="dragMarker($event, f.id, f.at)"
          @keydown.enter="desk.seek(f.at)"
        >
          {{ f.name }}
        </button>
      </div>
      <PlayheadGrip />
    </div>
  </div>
</template>

<style scoped>
.row {
  flex: none;
  padding-left: var(--card-width);
  border-bottom: 1px solid var(--rule-strong);
}
.ruler {
  position: relative;
  height: 40px;
  overflow: hidden;
  cursor: text;
  user-select: none;
  touch-action: none;
}
.tick {
  position: absolute;
  bottom: 0;
  padding-left: 4px;
  border-left: 1px solid var(--rule-strong);
  font-size: var(--type-small);
  line-height: 18px;
  color: var(--ink-soft);
}
.named {
  position: absolute;
  top: 0;
  display: flex;
  height: 20px;
  border: 1px solid var(--field);
  border-radius: var(--radius-small);
  background: var(--rule);
  font-size: var(--type-small);
  line-height: 18px;
  overflow: hidden;
}
.named.chapter {
  border-color: var(--ink-soft);
}
.named .what {
  flex: 1;
  min-width: 0;
  cursor: grab;
}
.named .end {
  position: relative;
  z-index: 2; /* over the marks of findings */
  flex: none;
  width: 8px;
  cursor: ew-resize;
}
.flag {
  position: absolute;
  top: 0;
  min-width: 24px;
  max-width: 110px;
  padding: 0 5px 0 4px;
  border: 0;
  border-left: 2px solid var(--ink);
  border-radius: 0 var(--radius-small) var(--radius-small) 0;
  z-index: 2;
  background: var(--sheet);
  font-size: var(--type-small);
  line-height: 24px;
  text-align: left;
  cursor: ew-resize;
}
</style>
