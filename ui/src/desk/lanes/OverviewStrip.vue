<script setup lang="ts">
import { useElementSize } from "@vueuse/core";
import { computed, ref, useTemplateRef } from "vue";
import { api, type Schema } from "../../api/client";
import OverviewFindings from "./OverviewFindings.vue";
import Silhouette from "../../shelf/Silhouette.vue";
import { useMixdowns } from "../../stores/mixdowns";
import { useSession } from "../../stores/session";
import { useAsked } from "../../talk/asked";
import { useDeskContext } from "../state/context";
import { startDrag } from "../widgets/drag";

const session = useSession();
const desk = useDeskContext();
const strip = useTemplateRef<HTMLElement>("strip");
const { width } = useElementSize(strip);

const total = computed(() => Math.max(session.length, 1));
const frame = computed(() => {
  const left = Math.min(1, desk.time.start / total.value);
  const right = Math.min(1, desk.time.end / total.value);
  return { left: left * width.value, width: Math.max(8, (right - left) * width.value) };
});

/** The running order: named ranges, each in the colour of the part that leads in it. */
const blocks = computed(() =>
  (session.glance?.order ?? []).flatMap(({ marker, part }) => {
    const m = session.document?.markers[marker];
    if (!m) return [];
    const left = (m.at / total.value) * 100;
    const width = (Math.min(m.length, total.value - m.at) / total.value) * 100;
    return { id: marker, name: m.name, part, left, width };
  }),
);

// What treatments do is known, as a whole, when the show has been measured.
const mixdowns = useMixdowns();
const { answer: outline } = useAsked<Schema["Silhouette"]>({
  when: () => [session.version, mixdowns.measured?.version],
  rest: 250,
  ask: (signal) => {
    if (!session.open || session.length === 0) return undefined;
    const params = { path: { episode: session.open.episode }, query: { columns: 600 } };
    return api.GET("/episodes/{episode}/silhouette", { params, signal });
  },
});

/** Where a block that is dragged would come to stand: before the block of this index, or after the last one. */
const landing = ref<number>();

/** Moves a segment with everything in it before another one. */
function dragBlock(event: PointerEvent, index: number): void {
  const order = blocks.value.map((b) => ({ ...b }));
  const left = strip.value!.getBoundingClientRect().left;
  const { start } = desk.time;
  startDrag(event, {
    threshold: 5,
    scroll: ({ dx }) => desk.time.show(start + (dx / width.value) * total.value),
    move: ({ event: e }) => {
      const at = ((e.clientX - left) / width.value) * 100;
      landing.value = order.filter((b) => b.left + b.width / 2 < at).length;
    },
    end: (moved) => {
      const to = landing.value;
      landing.value = undefined;
      if (!moved || to === undefined || to === index || to === index + 1) return;
      void session.edit({ type: "move-segment", marker: order[index]!.id, before: order[to]?.id });
    },
    click: () => showBlock(order[index]!.id),
  });
}

function showBlock(marker: string): void {
  const m = session.document?.markers[marker];
  if (m) desk.time.fit(m.at, m.at + m.length);
}
const landingAt = computed(() => {
  if (landing.value === undefined) return undefined;
  const next = blocks.value[landing.value];
  const last = blocks.value[blocks.value.length - 1];
  return next ? next.left : last ? last.left + last.width : undefined;
});

function blockKey(event: KeyboardEvent, index: number): void {
  const by = { ArrowLeft: -1, ArrowRight: 2 }[event.key];
  const shown = event.key === "Enter" && !event.shiftKey && !event.ctrlKey && !event.metaKey;
  if (!shown && (by === undefined || !event.altKey)) return;
  event.preventDefault();
  event.stopPropagation();
  if (shown) return showBlock(blocks.value[index]!.id);
  const to = index + by!;
  if (to < 0 || to > blocks.value.length) return;
  void session.edit({ type: "move-segment", marker: blocks.value[index]!.id, before: blocks.value[to]?.id });
}

function press(event: PointerEvent): void {
  const x = event.clientX - strip.value!.getBoundingClientRect().left;
  const centre = (x / width.value) * total.value;
  const span = desk.time.width * desk.time.scale;
  const inside = x >= frame.value.left && x <= frame.value.left + frame.value.width;
  if (!inside) desk.time.show(centre - span / 2);
  const start = desk.time.start;
  startDrag(event, {
    move: ({ dx }) => desk.time.show(start + (dx / width.value) * total.value),
    back: () => desk.time.show(start),
  });
}

function pull(event: PointerEvent, edge: "start" | "end"): void {
  const { start, end } = desk.time;
  startDrag(event, {
    move: ({ dx }) => {
      const by = (dx / width.value) * total.value;
      const from = edge === "start" ? Math.max(0, Math.min(start + by, end - 4800)) : start;
      const to = edge === "end" ? Math.max(end + by, start + 4800) : end;
      desk.time.show(from, (to - from) / desk.time.width);
    },
    back: () => desk.time.show(start, (end - start) / desk.time.width),
  });
}
</script>

<template>
  <div
    class="overview"
    v-bind="blocks.length > 0 ? { role: 'row', 'aria-label': 'Running order' } : {}"
    data-row="blocks"
  >
    <div ref="strip" class="strip" @pointerdown="press">
      <div v-if="landingAt !== undefined" class="landing" :style="{ left: `${landingAt}%` }"></div>
      <div v-for="(b, i) in blocks" :key="b.id" role="gridcell" class="cell">
        <button
          class="block cut"
          :class="b.part"
          :data-stop="`block:${b.id}`"
          :style="{ left: `${b.left}%`, width: `${b.width}%` }"
          :title="`${b.name}: click to show it, drag it to move it with everything in it (Alt ← →)`"
          @pointerdown="dragBlock($event, i)"
          @keydown="blockKey($event, i)"
        >
          {{ b.name }}
        </button>
      </div>
      <Silhouette class="outline" :outline="outline" :width="width" :height="30" mono />
      <OverviewFindings :total="total" :width="width" />
      <div class="frame" :style="{ left: `${frame.left}px`, width: `${frame.width}px` }">
        <span class="pull start" @pointerdown="pull($event, 'start')"></span>
        <span class="pull end" @pointerdown="pull($event, 'end')"></span>
      </div>
    </div>
  </div>
</template>

<style scoped>
.overview {
  padding: 8px 14px 0 var(--card-width);
  flex: none;
}
.strip {
  position: relative;
  height: 56px;
  border-radius: var(--radius-button);
  background: var(--rule);
  overflow: hidden;
  cursor: grab;
  touch-action: none;
}
.landing {
  position: absolute;
  inset-block: 0;
  z-index: 3;
  width: 3px;
  margin-left: -1px;
  background: var(--ink);
}
.block {
  position: absolute;
  z-index: 2;
  border-block: 0;
  border-left: 0;
  font-family: inherit;
  text-align: left;
  cursor: grab;
  touch-action: none;
  top: 0;
  height: 24px;
  padding: 0 6px;
  border-right: 1px solid var(--sheet);
  font-size: var(--type-small);
  font-weight: 600;
  line-height: 22px;
  color: var(--ink);
  background: var(--rule);
}
.block.voice {
  background: var(--voice-tint);
}
.block.music {
  background: var(--music-tint);
}
.block.effect {
  background: var(--effect-tint);
}
.outline {
  position: absolute;
  left: 0;
  top: 25px;
  filter: brightness(var(--silhouette-light));
}
.frame {
  position: absolute;
  inset-block: 0;
  border: 2px solid var(--ink);
  border-radius: var(--radius-button);
}
.pull {
  position: absolute;
  inset-block: 0;
  width: 8px;
  cursor: ew-resize;
}
.pull.start {
  left: -3px;
}
.pull.end {
  right: -3px;
}
</style>
