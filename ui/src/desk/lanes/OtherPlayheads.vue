<script setup lang="ts">
import { computed } from "vue";
import { useOthers } from "../../stores/others";
import { useDeskContext } from "../state/context";

/** Where the playheads of others stand. */
const desk = useDeskContext();
const others = useOthers();
const there = computed(() =>
  others.list.map((h) => ({ ...h, x: desk.time.x(h.at) })).filter((h) => h.x >= 0 && h.x <= desk.time.width),
);
</script>

<template>
  <div v-for="h in there" :key="h.window" class="other" :style="{ transform: `translateX(${h.x}px)` }">
    <span>{{ h.letters }}</span>
  </div>
</template>

<style scoped>
.other {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 0;
  border-left: 1px dotted var(--ink);
}
span {
  position: absolute;
  bottom: 2px;
  left: 2px;
  padding: 0 4px;
  border-radius: var(--radius-chip);
  background: var(--ink);
  color: var(--ink-inverse);
  font-size: var(--type-small);
  font-weight: 700;
}
</style>
