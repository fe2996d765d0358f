<script setup lang="ts">
import { computed } from "vue";
import { useBalance } from "../../stores/balance";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../state/context";
import OtherPlayheads from "./OtherPlayheads.vue";

/** The lines through all tracks: the playhead, and the guide at what is met while dragging. They move in every frame, by themselves. */
const session = useSession();
const desk = useDeskContext();
const balance = useBalance();
/** Where the guide stands on speech. */
const word = computed(() => {
  const at = desk.guide.value;
  const spans = (balance.now?.spoken ?? []).flatMap((s) => s.spans);
  if (spans.some((s) => s.from === at)) return "first word";
  return spans.some((s) => s.to === at) ? "last word" : "";
});
const x = computed(() => desk.time.x(desk.playhead.value));
</script>

<template>
  <OtherPlayheads />
  <div v-if="desk.guide.value !== undefined" class="guide" :style="{ left: `${desk.time.x(desk.guide.value)}px` }">
    <span v-if="word">{{ word }}</span>
  </div>
  <div
    v-if="x >= 0 && x <= desk.time.width && (session.length > 0 || desk.recorder.busy)"
    class="playhead"
    :style="{ transform: `translateX(${x}px)` }"
  ></div>
</template>

<style scoped>
.playhead,
.guide {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 2px;
  margin-left: -1px;
  background: var(--alarm);
  will-change: transform; /* a layer of its own: it moves in every frame */
}
.guide {
  width: 0;
  will-change: auto;
  background: none;
  border-left: 1px dashed var(--ink);
}
.guide span {
  position: absolute;
  top: 2px;
  left: 4px;
  padding: 0 5px;
  border-radius: var(--radius-chip);
  background: var(--ink);
  color: var(--ink-inverse);
  font-size: var(--type-small);
  white-space: nowrap;
}
</style>
