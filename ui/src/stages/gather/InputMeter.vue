<script setup lang="ts">
import { computed } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { figure } from "../../model/units";
import type { Verdict } from "../../recording/levels";

const LOWEST = -60;
const { recorder } = useDeskContext();
const words: Record<Verdict, string> = {
  nothing: "Say something…",
  silent: "Nothing arrives. Is the microphone switched on?",
  low: "Too low. Come closer, or turn the input up.",
  good: "Good",
  hot: "A little high. Turn the input down.",
  clipped: "Overloaded! Turn the input down.",
};
const place = (db: number) => `${(100 * (Math.min(0, Math.max(LOWEST, db)) - LOWEST)) / -LOWEST}%`;
const sides = computed(() => (recorder.state.shown.length > 0 ? recorder.state.shown : [-120]));
const bad = computed(() => ["silent", "low", "clipped"].includes(recorder.state.verdict));
</script>

<template>
  <div class="meter" :class="{ bad }">
    <div
      class="bars"
      role="meter"
      aria-label="Input level"
      aria-valuemin="-60"
      aria-valuemax="0"
      :aria-valuenow="Math.round(recorder.state.held)"
    >
      <div v-for="(db, i) in sides" :key="i" class="bar">
        <span class="level" :style="{ width: place(db) }"></span>
        <span v-if="recorder.state.held > LOWEST" class="hold" :style="{ left: place(recorder.state.held) }"></span>
        <template v-if="recorder.state.limits">
          <span
            class="zone"
            :style="{
              left: place(recorder.state.limits.good),
              right: `calc(100% - ${place(recorder.state.limits.hot)})`,
            }"
          ></span>
        </template>
      </div>
    </div>
    <p class="line">
      <span :role="recorder.busy ? undefined : 'status'" :class="{ alarm: bad }">{{
        words[recorder.state.verdict]
      }}</span>
      <span class="figures soft">{{ recorder.state.held > LOWEST ? `${figure(recorder.state.held)} dBFS` : "" }}</span>
      <button v-if="recorder.state.verdict === 'clipped'" class="link" @click="recorder.forgiveClipping()">
        Close
      </button>
    </p>
  </div>
</template>

<style scoped>
.bars {
  display: grid;
  gap: 3px;
}
.bar {
  position: relative;
  height: 10px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius-chip);
  background: var(--paper);
  overflow: hidden;
}
.level,
.hold,
.zone {
  position: absolute;
  top: 0;
  bottom: 0;
}
.level {
  left: 0;
  background: var(--voice);
}
.bad .level {
  background: var(--alarm);
}
.hold {
  width: 2px;
  margin-left: -2px;
  background: var(--ink);
}
.zone {
  border-inline: 1px dashed var(--ink-soft);
}
.line {
  display: flex;
  gap: 8px;
  min-height: 20px;
  margin-top: 3px;
  font-size: var(--type-small);
}
.line > :first-child {
  flex: 1;
}
</style>
