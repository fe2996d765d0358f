<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import { computed, reactive } from "vue";
import { api, type Schema } from "../../api/client";
import { RATE } from "../../model/units";
import { useAsked } from "../../talk/asked";
import PieceRow from "./PieceRow.vue";

const query = reactive({ words: "", part: "any", length: "any", tempo: "any" });

const lengths: Record<string, { name: string; minLength?: number; maxLength?: number }> = {
  any: { name: "Any length" },
  short: { name: "Under 10 s", maxLength: 10 * RATE },
  middle: { name: "10 to 40 s", minLength: 10 * RATE, maxLength: 40 * RATE },
  long: { name: "Over 40 s", minLength: 40 * RATE },
};
const tempi: Record<string, { name: string; minTempo?: number; maxTempo?: number }> = {
  any: { name: "Any tempo" },
  slow: { name: "Slow, under 80", minTempo: 1, maxTempo: 80 },
  walking: { name: "Walking, 80 to 115", minTempo: 80, maxTempo: 115 },
  fast: { name: "Fast, over 115", minTempo: 115 },
};
const parts = [
  { key: "any", name: "Music and effects" },
  { key: "music", name: "Music" },
  { key: "effect", name: "Effects" },
];

const {
  answer,
  problem: fault,
  asking,
  refresh: find,
} = useAsked<Schema["Piece"][] | null>({
  when: () => ({ ...query }),
  rest: 200,
  ask: (signal) => {
    const { words, part, length, tempo } = query;
    const { minLength, maxLength } = lengths[length]!;
    const { minTempo, maxTempo } = tempi[tempo]!;
    const of = part === "any" ? undefined : (part as "music");
    const params = { query: { words, part: of, minLength, maxLength, minTempo, maxTempo } };
    return api.GET("/shelf", { params, signal });
  },
});
const pieces = computed(() => answer.value ?? []);
const loading = computed(() => asking.value && !answer.value);

function clear(): void {
  Object.assign(query, { words: "", part: "any", length: "any", tempo: "any" });
}
</script>

<template>
  <input
    v-model="query.words"
    class="text-field"
    type="search"
    placeholder="Mood, instrument, genre: calm piano"
    aria-label="Find music and effects"
  />
  <div class="choices">
    <el-select v-bind="readOut" v-model="query.part" size="small" aria-label="Music or effects">
      <el-option v-for="p in parts" :key="p.key" :value="p.key" :label="p.name" />
    </el-select>
    <el-select v-bind="readOut" v-model="query.length" size="small" aria-label="Length">
      <el-option v-for="(l, key) in lengths" :key="key" :value="key" :label="l.name" />
    </el-select>
    <el-select v-bind="readOut" v-model="query.tempo" size="small" aria-label="Tempo">
      <el-option v-for="(t, key) in tempi" :key="key" :value="key" :label="t.name" />
    </el-select>
  </div>
  <p v-if="fault" class="alarm" role="alert">
    {{ fault }} <button class="plain-button" @click="find()">Try again</button>
  </p>
  <p class="soft count" role="status">
    {{ loading ? "Looking…" : pieces.length === 1 ? "1 piece" : `${pieces.length} pieces` }}
  </p>
  <ul class="plain-list">
    <PieceRow v-for="p in pieces" :key="p.key" :piece="p" />
  </ul>
  <p v-if="!loading && pieces.length === 0 && !fault" class="soft nothing">
    No piece is all of that at once. <button class="plain-button" @click="clear">Show everything</button>
  </p>
</template>

<style scoped>
.choices {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px;
  margin: 6px 0;
}
.choices > :first-child {
  grid-column: 1 / 3;
}
.count {
  font-size: var(--type-small);
}
</style>
