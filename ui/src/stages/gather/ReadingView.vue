<script setup lang="ts">
import { useEventListener, useRafFn, watchDebounced } from "@vueuse/core";
import { Check } from "lucide-vue-next";
import { computed, nextTick, onMounted, ref, useTemplateRef, watch } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { RATE } from "../../model/units";
import { useScript } from "../../stores/script";
import ReadingBar from "./ReadingBar.vue";

/** The script in large type. It scrolls at the reader's pace: the line that is spoken stays a third down the page. */
defineProps<{ /** The one who looks reads for the episode, and does not make it. */ reader?: boolean }>();
const script = useScript();
const desk = useDeskContext();
const page = useTemplateRef<HTMLElement>("page");
const current = ref(0);
const running = ref(false);
const size = ref(Number(localStorage.getItem("ruvel-reading-size") ?? 30));
/** Frames of the current part that have been read. */
let read = 0;

const parts = computed(() => script.script?.reading.parts ?? []);
const pace = ref(script.script?.pace ?? 150);
watchDebounced(pace, (to) => to !== script.script?.pace && script.change({ pace: to }), { debounce: 250 });
const spoken = (i: number) => parts.value[i]?.kind === "spoken";
const left = computed(() => parts.value.slice(current.value).reduce((sum, p) => sum + p.time, 0));

function elementOf(index: number): HTMLElement | undefined {
  return page.value?.querySelectorAll<HTMLElement>("[data-part]")[index];
}

/** Brings the line that is read now to its place. */
function follow(smooth: boolean): void {
  const element = elementOf(current.value);
  if (!page.value || !element) return;
  const time = parts.value[current.value]?.time ?? 0;
  const done = time > 0 ? Math.min(1, read / time) : 0;
  const top = element.offsetTop + element.offsetHeight * done - page.value.clientHeight / 3;
  page.value.scrollTo({ top, behavior: smooth ? "smooth" : "instant" });
}

function go(to: number): void {
  const step = to >= current.value ? 1 : -1;
  let i = to;
  while (i >= 0 && i < parts.value.length && !spoken(i)) i += step;
  if (!spoken(i)) return;
  current.value = i;
  read = 0;
  follow(true);
}

function setPace(to: number): void {
  pace.value = Math.min(300, Math.max(60, to));
}

function setSize(to: number): void {
  size.value = Math.min(64, Math.max(18, to));
  localStorage.setItem("ruvel-reading-size", String(size.value));
  void nextTick(() => follow(false));
}

function mark(index: number): void {
  const part = parts.value[index];
  if (part && spoken(index)) void script.change({ recorded: { [part.key]: !part.recorded } });
}

useRafFn(({ delta }) => {
  if (!running.value) return;
  read += (delta * RATE) / 1000;
  if (read >= (parts.value[current.value]?.time ?? 0)) {
    const before = current.value;
    const over = read - (parts.value[before]?.time ?? 0);
    let next = before + 1;
    while (next < parts.value.length && !spoken(next)) next++;
    if (next >= parts.value.length) {
      running.value = false;
      return;
    }
    current.value = next;
    read = over;
  }
  follow(false);
});

// Who records from the script reads along: the page begins to move with the take.
watch(
  () => desk.recorder.state.phase,
  (phase, before) => {
    if (phase === "recording") running.value = true;
    else if (before === "recording") running.value = false;
  },
);

const keys: Record<string, () => void> = {
  ArrowDown: () => go(current.value + 1),
  ArrowUp: () => go(current.value - 1),
  ArrowRight: () => setPace(pace.value + 10),
  ArrowLeft: () => setPace(pace.value - 10),
  "+": () => setSize(size.value + 2),
  "=": () => setSize(size.value + 2),
  "-": () => setSize(size.value - 2),
  s: () => (running.value = !running.value),
  m: () => mark(current.value),
  Escape: () => (desk.reading.value = false),
};
useEventListener(
  window,
  "keydown",
  (event: KeyboardEvent) => {
    const at = event.target as HTMLElement;
    const act = keys[event.key];
    if (!act || event.ctrlKey || event.metaKey || event.altKey) return;
    if (at.closest("input, textarea, select, .el-dialog, .el-slider, .el-popper, [role=tablist], [role=slider]"))
      return;
    event.preventDefault();
    event.stopImmediatePropagation();
    act();
  },
  { capture: true },
);

onMounted(() => {
  const first = parts.value.findIndex((p) => p.kind === "spoken" && !p.recorded);
  current.value =
    first >= 0
      ? first
      : Math.max(
          0,
          parts.value.findIndex((p) => p.kind === "spoken"),
        );
  void nextTick(() => follow(false));
});
</script>

<template>
  <section class="reading" aria-label="Script in large type">
    <ReadingBar
      v-model:running="running"
      :pace="pace"
      :left="left"
      :reader="reader"
      @pace="setPace(pace + $event)"
      @size="setSize(size + $event)"
      @mark="mark(current)"
    />
    <div ref="page" class="page" tabindex="0" aria-label="Script" :style="{ '--size': `${size}px` }">
      <template v-for="(p, i) in parts" :key="p.key">
        <component
          :is="p.kind === 'heading' ? 'h3' : 'p'"
          :data-part="i"
          :class="[p.kind, { current: i === current, recorded: p.recorded }]"
          :aria-current="i === current ? 'true' : undefined"
          @click="go(i)"
        >
          {{ p.text }}
          <span v-if="p.recorded" class="done"><Check :size="14" /> recorded</span>
        </component>
      </template>
      <p v-if="parts.length === 0" class="soft">
        There is no script yet.{{ reader ? "" : " Write it under Record, at the right." }}
      </p>
    </div>
  </section>
</template>

<style scoped>
.reading {
  position: absolute;
  inset: 0;
  z-index: 12;
  display: flex;
  flex-direction: column;
  background: var(--sheet);
}
.page {
  position: relative;
  flex: 1;
  overflow-y: auto;
  padding: 6vh 9% 60vh;
  line-height: 1.45;
}
.page > * {
  max-width: calc(26 * var(--size));
  margin: 0 auto calc(0.9 * var(--size));
  padding-left: calc(0.5 * var(--size));
  border-left: 4px solid transparent;
}
.spoken {
  font-size: var(--size);
}
.heading {
  font-size: calc(0.62 * var(--size));
  color: var(--ink-soft);
}
.direction {
  font-size: calc(0.6 * var(--size));
  font-style: italic;
  color: var(--ink-soft);
}
.spoken {
  cursor: pointer;
}
.recorded {
  color: var(--ink-soft);
}
.current {
  border-left-color: var(--voice);
}
.done {
  display: inline-flex;
  align-items: center;
  gap: 3px;
  margin-left: 6px;
  color: var(--voice);
  font-size: var(--type-text);
}
</style>
