<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { timeText } from "../../model/units";
import { useDeskContext } from "../state/context";
import { useCheck } from "../../stores/check";
import { useFindings, WEIGHTS } from "../acts/findings";

/** Where something was found, on the ruler; the one that is open with its stretch. */
const desk = useDeskContext();
const check = useCheck();
const { show } = useFindings(desk);

/** Pixels that a mark takes: of those that would lie over each other the worst is shown. */
const WIDE = 24;
const order = ["must", "should", "look"];
type Mark = { f: Schema["Finding"]; x: number; others: number };

const marks = computed(() => {
  const { time } = desk;
  const seen = check.open
    .filter((f) => f.to > f.from && f.from >= time.start && f.from <= time.end)
    .sort((a, b) => a.from - b.from);
  const out: Mark[] = [];
  for (const f of seen) {
    const last = out[out.length - 1];
    const x = time.x(f.from);
    if (!last || x - last.x >= WIDE) out.push({ f, x, others: 0 });
    else {
      last.others++;
      if (order.indexOf(f.weight) < order.indexOf(last.f.weight)) last.f = f;
    }
  }
  return out;
});
/** The stretch of the finding that is open. */
const stretch = computed(() => {
  const f = desk.stage.value === "check" ? check.open.find((o) => o.key === check.chosen) : undefined;
  if (!f || f.to <= f.from) return undefined;
  return { left: `${desk.time.x(f.from)}px`, width: `${Math.max(2, (f.to - f.from) / desk.time.scale)}px` };
});
const more = (n: number) => (n === 0 ? "" : n === 1 ? " (and one more here)" : ` (and ${n} more here)`);
</script>

<template>
  <span v-if="stretch" class="stretch" :style="stretch" aria-hidden="true"></span>
  <div v-for="m in marks" :key="m.f.key" role="gridcell" class="cell">
    <button
      class="finding reach"
      :class="m.f.weight"
      :data-stop="`finding:${m.f.key}`"
      :style="{ left: `${m.x}px` }"
      :title="`${WEIGHTS[m.f.weight].name}: ${m.f.text}${more(m.others)}`"
      :aria-label="`${WEIGHTS[m.f.weight].name}, ${timeText(m.f.from, 1)}: ${m.f.name}${more(m.others)}`"
      @pointerdown.stop
      @click="show(m.f)"
    >
      <span aria-hidden="true">{{ WEIGHTS[m.f.weight].sign }}</span>
    </button>
  </div>
</template>

<style scoped>
.finding {
  position: absolute;
  top: 0;
  z-index: 1;
  width: 18px;
  height: 18px;
  margin-left: -9px;
  padding: 0;
  border: 1.5px solid var(--ink);
  border-radius: var(--radius-round);
  background: var(--sheet);
  color: var(--ink);
  font-size: var(--type-small);
  font-weight: 700;
  line-height: 14px;
  cursor: pointer;
}
.finding.should {
  background: var(--ink);
  color: var(--ink-inverse);
}
.finding.must {
  border-color: var(--alarm);
  border-radius: var(--radius-point);
  background: var(--alarm);
  color: var(--ink-inverse);
}
.stretch {
  position: absolute;
  bottom: 0;
  height: 3px;
  background: var(--ink);
  pointer-events: none;
}
</style>
