<script setup lang="ts">
import { isNight } from "../../model/night";
import { refThrottled, useElementSize } from "@vueuse/core";
import { computed, onMounted, ref, useTemplateRef, watch } from "vue";
import { prepare, token } from "../../drawing/tokens";
import { figure } from "../../model/units";
import { useDeskContext } from "../state/context";
import { fallen, levelOf, LOWEST, MARKS, placeOn } from "./meter";

/**
 * The true peak of what is heard, left above right, with the highest of the last moments held, a scale, and a mark that
 * stays when the ceiling has been passed.
 */
const props = defineProps<{ ceiling: number }>();
const CELL = 7;
const ROWS = 19;
const HOLD_MS = 1800;
const SAID_MS = 1000;
const desk = useDeskContext();
const box = useTemplateRef<HTMLElement>("box");
const canvas = useTemplateRef<HTMLCanvasElement>("canvas");
const { width } = useElementSize(box);
const falling = ref([0, 0]);
let fallenAt = 0;
const held = ref([
  { peak: 0, at: 0 },
  { peak: 0, at: 0 },
]);
/** The highest peak since the mark was cleared, and whether it was over the ceiling. */
const highest = ref(0);
const levels = computed(() => falling.value.map(levelOf));
const over = computed(() => highest.value > 0 && levelOf(highest.value) > props.ceiling);
/** Said at most so often: it is read out. */
const text = refThrottled(
  computed(() => `left ${figure(levels.value[0]!)} dBTP, right ${figure(levels.value[1]!)} dBTP`),
  SAID_MS,
);

watch(
  () => desk.player.state.peaks,
  (peaks) => {
    const now = performance.now();
    const stays = desk.player.state.playing ? fallen(now - fallenAt) : 0;
    fallenAt = now;
    falling.value = falling.value.map((p, i) => Math.max(peaks[i] ?? 0, p * stays));
    held.value = held.value.map((h, i) => {
      const peak = peaks[i] ?? 0;
      return peak >= h.peak || now - h.at > HOLD_MS ? { peak, at: now } : h;
    });
    highest.value = Math.max(highest.value, ...peaks);
  },
);

/** What each cell showed last, so that only those are drawn that change. */
let shown: string[] = [];

function draw(): void {
  if (!canvas.value || width.value < 1) return;
  const cells = Math.floor(width.value / CELL);
  const ceiling = placeOn(props.ceiling) * cells;
  const fresh = shown.length !== 2 * cells + 1 || shown[2 * cells] !== `${width.value} ${ceiling}`;
  const g = fresh ? prepare(canvas.value, width.value, ROWS) : canvas.value.getContext("2d")!;
  levels.value.forEach((level, row) => {
    const [at, stays] = [placeOn(level) * cells, Math.ceil(placeOn(levelOf(held.value[row]!.peak)) * cells) - 1];
    for (let i = 0; i < cells; i++) {
      const lit = i < at || (i === stays && levelOf(held.value[row]!.peak) > LOWEST);
      const colour = lit ? (i >= ceiling ? "deck-alarm" : "deck-meter") : "deck-meter-off";
      if (!fresh && shown[row * cells + i] === colour) continue;
      shown[row * cells + i] = colour;
      g.fillStyle = token(colour);
      g.fillRect(i * CELL, row * 10, CELL - 2, 8);
    }
  });
  shown[2 * cells] = `${width.value} ${ceiling}`;
  shown.length = 2 * cells + 1;
  g.fillStyle = token("deck-ink");
  g.fillRect(Math.round(ceiling * CELL) - 1, 0, 2, ROWS);
}
onMounted(draw);
watch([levels, held, width, () => props.ceiling, isNight], draw, { flush: "post" });
</script>

<template>
  <div class="meter">
    <div ref="box" class="box" role="img" :aria-label="`Output level: ${text}`">
      <canvas ref="canvas" :style="{ width: `${width}px`, height: `${ROWS}px` }"></canvas>
      <span
        v-for="m in MARKS"
        :key="m"
        class="mark figures"
        :class="{ last: m === 0 }"
        :style="{ left: `${placeOn(m) * 100}%` }"
        >{{ m === 0 ? "0" : `−${-m}` }}</span
      >
    </div>
    <button
      class="over figures"
      :class="{ lit: over }"
      :title="
        over
          ? `The true peak has been over ${figure(ceiling)} dBTP. Click to clear the mark.`
          : 'Highest true peak so far; click to begin anew'
      "
      :aria-label="over ? 'Over the ceiling: clear the mark' : 'Highest true peak: begin anew'"
      @click="highest = 0"
    >
      {{ over ? "over " : "" }}{{ highest > 0 ? figure(levelOf(highest)) : "–" }}
    </button>
  </div>
</template>

<style scoped>
.meter {
  display: flex;
  align-items: flex-start;
  gap: 8px;
}
.box {
  position: relative;
  flex: 1;
  min-width: 0;
  height: 31px;
}
.mark {
  position: absolute;
  bottom: -2px;
  font-size: var(--type-small);
  color: var(--deck-ink-soft);
  transform: translateX(-50%);
}
.mark:first-of-type {
  transform: none;
}
.mark.last {
  transform: translateX(-100%);
}
.over {
  min-width: 46px;
  min-height: 24px;
  padding: 0 5px;
  border: 1px solid var(--deck-rule);
  border-radius: var(--radius-small);
  background: none;
  color: var(--deck-ink);
  font-size: var(--type-small);
  white-space: nowrap;
  cursor: pointer;
}
.over.lit {
  border-color: var(--deck-alarm);
  background: var(--deck-alarm);
  color: var(--deck);
}
</style>
