<script setup lang="ts">
import { refDebounced, useElementSize } from "@vueuse/core";
import { computed, ref, useTemplateRef, watch } from "vue";
import { api, type Schema } from "../api/client";
import Silhouette from "../shelf/Silhouette.vue";
import { useSession } from "../stores/session";
import { useDeskContext } from "./context";
import { startDrag } from "./drag";

const session = useSession();
const desk = useDeskContext();
const strip = useTemplateRef<HTMLElement>("strip");
const { width } = useElementSize(strip);
const outline = ref<Schema["Silhouette"]>();
const settled = refDebounced(
  computed(() => session.version),
  250,
);

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

watch(
  settled,
  async () => {
    const open = session.open;
    if (!open || session.length === 0) {
      outline.value = undefined;
      return;
    }
    const params = { path: { episode: open.episode }, query: { columns: 600 } };
    const request = (signal: AbortSignal) => api.GET("/episodes/{episode}/silhouette", { params, signal });
    await open.load("silhouette", request, (there) => (outline.value = there)).catch(() => (outline.value = undefined));
  },
  { immediate: true },
);

function press(event: PointerEvent): void {
  const x = event.clientX - strip.value!.getBoundingClientRect().left;
  const centre = (x / width.value) * total.value;
  const span = desk.time.width * desk.time.scale;
  const inside = x >= frame.value.left && x <= frame.value.left + frame.value.width;
  if (!inside) desk.time.show(centre - span / 2);
  const start = desk.time.start;
  startDrag(event, { move: ({ dx }) => desk.time.show(start + (dx / width.value) * total.value) });
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
  });
}
</script>

<template>
  <div class="overview">
    <div ref="strip" class="strip" @pointerdown="press">
      <div
        v-for="b in blocks"
        :key="b.id"
        class="block cut"
        :class="b.part"
        :style="{ left: `${b.left}%`, width: `${b.width}%` }"
        :title="b.name"
      >
        {{ b.name }}
      </div>
      <Silhouette class="outline" :outline="outline" :width="width" :height="30" mono />
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
  height: 48px;
  border-radius: 5px;
  background: var(--rule);
  overflow: hidden;
  cursor: grab;
  touch-action: none;
}
.block {
  position: absolute;
  top: 0;
  height: 16px;
  padding: 0 6px;
  border-right: 1px solid var(--sheet);
  font-size: 11px;
  font-weight: 600;
  line-height: 16px;
  color: var(--ink-soft);
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
  top: 17px;
  filter: brightness(0.82);
}
.frame {
  position: absolute;
  inset-block: 0;
  border: 2px solid var(--ink);
  border-radius: 5px;
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
