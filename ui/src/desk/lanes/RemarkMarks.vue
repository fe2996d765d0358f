<script setup lang="ts">
import { computed } from "vue";
import { timeText } from "../../model/units";
import { useSharing } from "../../stores/sharing";
import { useDeskContext } from "../state/context";

/** What listeners have written, as notes at their places on the ruler; those that were put aside are not there. */
const desk = useDeskContext();
const sharing = useSharing();
const notes = computed(() =>
  sharing.remarks
    .filter((r) => r.state !== "hidden" && r.place >= desk.time.start && r.place <= desk.time.end)
    .map((r) => ({ ...r, x: desk.time.x(r.place) })),
);
</script>

<template>
  <div v-for="n in notes" :key="n.id" role="gridcell" class="cell">
    <button
      class="note reach"
      :class="{ fresh: n.state === 'new' }"
      :data-stop="`remark:${n.id}`"
      :style="{ left: `${n.x}px` }"
      :title="`${n.name || 'A listener'} at ${timeText(n.at, 0)}: ${n.words}`"
      :aria-label="`Comment by ${n.name || 'a listener'} at ${timeText(n.at, 0)}: ${n.words}`"
      @pointerdown.stop
      @click="desk.seek(n.place)"
    ></button>
  </div>
</template>

<style scoped>
.note {
  position: absolute;
  top: 1px;
  z-index: 3;
  width: 12px;
  height: 11px;
  margin-left: -6px;
  padding: 0;
  border: 1.5px solid var(--voice);
  border-radius: var(--radius-clip) var(--radius-clip) var(--radius-clip) 0;
  background: var(--sheet);
  cursor: pointer;
}
.note.fresh {
  background: var(--voice);
}
</style>
