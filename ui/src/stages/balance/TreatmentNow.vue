<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { courseHeard } from "../../drawing/courses";
import { CAUSES, GATES, takenBy, type Cause } from "../../drawing/reduction";
import { figure } from "../../model/units";

/** What the stages of a treatment take away at the playhead; the legend of the band along the clips. */
const props = defineProps<{ track: Schema["Track"] }>();
const desk = useDeskContext();
const NAMES: Record<Cause, string> = {
  gate: "Gate",
  expander: "Expander",
  compressor: "Compressor",
  limiter: "Limiter",
};
const now = computed(() => courseHeard(props.track.id, desk.playhead.value));
const rows = computed(() => {
  const treatment = props.track.treatment;
  const taken = now.value && takenBy(now.value, treatment);
  return CAUSES.filter((cause) => treatment?.[cause]?.on).map((cause) => ({
    cause,
    name: NAMES[cause],
    by: taken?.[cause],
    state: cause === "gate" ? GATES[now.value?.gated ?? 0] : undefined,
  }));
});
const shown = computed({
  get: () => desk.lines.value.taken,
  set: (taken) => (desk.lines.value = { ...desk.lines.value, taken }),
});
</script>

<template>
  <div v-if="rows.length > 0" class="taken-now">
    <ul aria-label="What is taken away at the playhead">
      <li v-for="r in rows" :key="r.cause" :data-cause="r.cause">
        <i class="swatch" :class="r.cause"></i>{{ r.name }}
        <span v-if="r.state" class="state" :data-state="r.state.word">{{ r.state.sign }} {{ r.state.word }}</span>
        <b class="figures">{{ r.by === undefined ? "–" : r.by < 0.05 ? "0.0" : figure(-r.by) }}</b>
      </li>
    </ul>
    <label><input v-model="shown" type="checkbox" /> Show it along the clips</label>
  </div>
</template>

<style scoped>
.taken-now {
  font-size: var(--type-hint);
}
ul {
  margin: 0 0 4px;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  align-items: center;
  gap: 7px;
  line-height: 20px;
}
b {
  margin-left: auto;
  font-weight: 400;
}
.state {
  color: var(--ink-soft);
}
label {
  display: flex;
  align-items: center;
  gap: 6px;
}
.swatch {
  flex: none;
  width: 16px;
  height: 10px;
}
.compressor {
  background: var(--took-compressor);
}
.limiter {
  background: repeating-linear-gradient(0deg, var(--took-limiter) 0 2px, transparent 2px 3px);
}
.expander {
  background: radial-gradient(circle, var(--took-expander) 1px, transparent 1.2px) 0 0 / 4px 4px;
}
.gate {
  background: repeating-linear-gradient(135deg, var(--took-gate) 0 2px, transparent 2px 4px);
}
</style>
