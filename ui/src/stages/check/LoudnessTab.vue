<script setup lang="ts">
import { computed, watch } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { figure, RATE, timeText } from "../../model/units";
import { useCheck } from "../../stores/check";
import { NOTHING, useLoudness } from "../../stores/loudness";

/** The loudness of the show in figures: as a whole, and step by step for who cannot see it drawn. */
const desk = useDeskContext();
const check = useCheck();
const loudness = useLoudness();
const MOST_ROWS = 120;

watch(
  () => [check.now?.version, check.now?.measured],
  () => void loudness.refresh(),
  { immediate: true },
);

const whole = computed(() => loudness.along?.whole);
const target = computed(() => loudness.along?.target);
const lufs = (v: number | undefined) => (v === undefined || v <= NOTHING ? "–" : figure(v));
const verdict = computed(() => loudness.along?.verdict);

/** Rows of some seconds, as many as can be read. */
const rows = computed(() => {
  const hops = loudness.momentary.length;
  const seconds = [5, 10, 30, 60, 120, 300].find((s) => hops / 10 / s <= MOST_ROWS) ?? 600;
  const highest = (all: Float64Array, from: number, to: number) =>
    all.subarray(from, to).reduce((a, b) => Math.max(a, b), NOTHING);
  return Array.from({ length: Math.ceil(hops / 10 / seconds) }, (_, i) => {
    const [from, to] = [i * seconds * 10, Math.min(hops, (i + 1) * seconds * 10)];
    return {
      at: (from / 10) * RATE,
      momentary: highest(loudness.momentary, from, to),
      shortTerm: highest(loudness.shortTerm, from, to),
      soFar: loudness.soFar[Math.min(loudness.soFar.length, Math.floor(to / 10)) - 1] ?? NOTHING,
      peak: highest(loudness.truePeak, from, to),
    };
  });
});
</script>

<template>
  <p v-if="loudness.problem" class="soft" role="status">{{ loudness.problem }}</p>
  <p v-if="!whole" class="soft">There is nothing to measure yet.</p>
  <template v-else>
    <dl>
      <dt>Whole show</dt>
      <dd class="figures" :class="{ alarm: verdict?.loud }" data-loudness="whole">{{ lufs(whole.integrated) }} LUFS</dd>
      <dt>Target</dt>
      <dd class="figures">{{ lufs(target!.integrated) }} ±{{ target!.tolerance }} LUFS</dd>
      <dt>Range</dt>
      <dd class="figures">
        {{ whole.range.toFixed(1) }} LU
        <span v-if="whole.range > 0" class="soft"
          >{{ lufs(loudness.along!.low) }} to {{ lufs(loudness.along!.high) }}</span
        >
      </dd>
      <dt>Loudest 0.4 s</dt>
      <dd class="figures">{{ lufs(whole.maxMomentary) }} LUFS</dd>
      <dt>Loudest 3 s</dt>
      <dd class="figures">{{ lufs(whole.maxShortTerm) }} LUFS</dd>
      <dt>True peak</dt>
      <dd class="figures" :class="{ alarm: verdict?.over }">
        {{ figure(whole.truePeak) }} dBTP <span class="soft">under {{ figure(target!.truePeak) }}</span>
      </dd>
    </dl>
    <p class="soft">It is drawn under the tracks. A click there goes to the place.</p>
    <table>
      <caption class="visually-hidden">
        The loudness step by step
      </caption>
      <thead>
        <tr>
          <th scope="col">From</th>
          <th scope="col">0.4 s</th>
          <th scope="col">3 s</th>
          <th scope="col">So far</th>
          <th scope="col">Peak</th>
        </tr>
      </thead>
      <tbody class="figures">
        <tr v-for="r in rows" :key="r.at">
          <th scope="row">
            <button @click="desk.seek(r.at)">{{ timeText(r.at, 0) }}</button>
          </th>
          <td>{{ lufs(r.momentary) }}</td>
          <td>{{ lufs(r.shortTerm) }}</td>
          <td>{{ lufs(r.soFar) }}</td>
          <td :class="{ alarm: r.peak > target!.truePeak }">{{ lufs(r.peak) }}</td>
        </tr>
      </tbody>
    </table>
  </template>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 104px 1fr;
  gap: 4px 8px;
  margin: 0 0 10px;
  font-size: var(--type-text);
}
dt {
  color: var(--ink-soft);
}
dd {
  margin: 0;
}
dd .soft {
  font-size: var(--type-small);
}
p {
  font-size: var(--type-hint);
}
table {
  width: 100%;
  margin-top: 8px;
  border-collapse: collapse;
  font-size: var(--type-small);
}
th,
td {
  padding: 2px 0;
  border-bottom: 1px solid var(--rule);
  font-weight: 400;
  text-align: right;
}
th:first-child {
  text-align: left;
}
thead th {
  color: var(--ink-soft);
}
th button {
  padding: 0;
  border: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  text-decoration: underline;
  cursor: pointer;
}
</style>
