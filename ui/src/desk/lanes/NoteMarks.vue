<script setup lang="ts">
import { computed } from "vue";
import { timeText } from "../../model/units";
import { useNotes } from "../../stores/notes";
import { useDeskContext } from "../state/context";

/** What is noted at places, on the ruler; what is settled is not there. */
const desk = useDeskContext();
const notes = useNotes();
const there = computed(() =>
  notes.open
    .filter((n) => n.ends >= desk.time.start && n.begins <= desk.time.end)
    .map((n) => ({ ...n, x: desk.time.x(n.begins), width: Math.max(0, (n.ends - n.begins) / desk.time.scale) })),
);

function go(at: number): void {
  desk.seek(at);
  desk.stage.value = "check";
  desk.checkTab.value = "notes";
}
</script>

<template>
  <div v-for="n in there" :key="n.id" role="gridcell" class="cell">
    <span v-if="n.width > 0" class="span" :style="{ left: `${n.x}px`, width: `${n.width}px` }"></span>
    <button
      class="mark reach"
      :data-stop="`note:${n.id}`"
      :style="{ left: `${n.x}px` }"
      :title="`${n.by ? `${n.by}: ` : ''}${n.words}`"
      :aria-label="`Note${n.by ? ` by ${n.by}` : ''} at ${timeText(n.begins, 0)}: ${n.words}`"
      @pointerdown.stop
      @click="go(n.begins)"
    ></button>
  </div>
</template>

<style scoped>
.span {
  position: absolute;
  top: 1px;
  z-index: 2;
  height: 3px;
  background: var(--effect);
}
/* A leaf with a folded corner: what listeners write is round. */
.mark {
  position: absolute;
  top: 1px;
  z-index: 3;
  width: 11px;
  height: 12px;
  padding: 0;
  border: 0;
  background: var(--effect);
  clip-path: polygon(0 0, 100% 0, 100% 60%, 60% 100%, 0 100%);
  cursor: pointer;
}
</style>
