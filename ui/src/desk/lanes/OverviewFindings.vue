<script setup lang="ts">
import { computed } from "vue";
import { useCheck } from "../../stores/check";

/** Where something was found, along the whole: of what would lie on one place, the worst. */
const props = defineProps<{ /** In frames. */ total: number; /** In pixels. */ width: number }>();
const MARK = 4;
const WEIGHT = ["must", "should", "look"] as const;
const check = useCheck();
const found = computed(() => {
  const step = 100 / Math.max(1, props.width / MARK);
  const out = new Map<number, { weight: (typeof WEIGHT)[number]; left: string }>();
  for (const f of check.open) {
    if (f.to <= f.from) continue;
    const place = Math.round(((f.from / props.total) * 100) / step);
    const there = out.get(place);
    if (there && WEIGHT.indexOf(there.weight) <= WEIGHT.indexOf(f.weight)) continue;
    out.set(place, { weight: f.weight, left: `left: ${(place * step).toFixed(2)}%` });
  }
  return [...out].map(([key, mark]) => ({ key, ...mark }));
});
</script>

<template>
  <span v-for="f in found" :key="f.key" class="found" :class="f.weight" :style="f.left" aria-hidden="true"></span>
</template>

<style scoped>
.found {
  position: absolute;
  z-index: 2;
  bottom: 1px;
  width: 7px;
  height: 7px;
  margin-left: -3px;
  border: 1.5px solid var(--ink);
  border-radius: var(--radius-round);
  background: var(--sheet);
  pointer-events: none;
}
.found.should {
  background: var(--ink);
}
.found.must {
  border-color: var(--alarm);
  border-radius: var(--radius-hair);
  background: var(--alarm);
}
</style>
