<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import { computed, ref } from "vue";
import { api, type Schema } from "../../api/client";
import ValueField from "../../desk/widgets/ValueField.vue";
import { useDeskContext } from "../../desk/state/context";
import { isTreated } from "../../drawing/reduction";
import { figure, parseLevel, SILENCE, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useAsked } from "../../talk/asked";

/** Brings voices to the same loudness: shown first as a list, of which any line can be left out. */
const session = useSession();
const desk = useDeskContext();
const of = ref<"clips" | "tracks">("clips");
const by = ref<"loudness" | "peak">("loudness");
/** What was typed; nothing: the middle of all. */
const typed = ref<number>();
/** The rows that were there before. */
let known = new Set<string>();
const left = ref(new Set<string>());
const treated = computed(() => (session.document?.tracks ?? []).some((t) => isTreated(t.treatment)));

/** Of several chosen clips, these alone. */
const chosen = computed(() => (desk.selection.clips.length > 1 ? [...desk.selection.clips].sort().join() : ""));
const {
  answer: found,
  problem,
  asking: busy,
} = useAsked<Schema["Evening"]>({
  what: () => [of.value, by.value, typed.value, chosen.value],
  when: () => session.version,
  rest: 300,
  ask: (signal) => {
    const query = { of: of.value, by: by.value, to: typed.value, clips: chosen.value || undefined };
    const path = session.open && { episode: session.open.episode };
    return path && api.GET("/episodes/{episode}/evening", { params: { path, query }, signal });
  },
  take: (there) => {
    for (const r of there.rows) if (r.outlier && !known.has(r.id)) left.value.add(r.id);
    known = new Set(there.rows.map((r) => r.id));
  },
});

const unit = computed(() => (by.value === "loudness" ? "LUFS" : "dBFS"));
const taken = computed(() =>
  (found.value?.rows ?? []).filter((r) => !r.unknown && !left.value.has(r.id) && Math.abs(r.change) >= 0.05),
);

function setWhat(what: "loudness" | "peak"): void {
  by.value = what;
  typed.value = what === "peak" ? -3 : undefined;
}

function leave(id: string, out: boolean): void {
  if (out) left.value.add(id);
  else left.value.delete(id);
}

function carryOut(): void {
  const clips = taken.value.flatMap((r) => Object.entries(r.gains).map(([clip, gain]) => ({ clip, gain })));
  if (clips.length > 0) void session.edit({ type: "set-clips", clips });
}

function remark(r: Schema["EvenRow"]): string {
  if (r.unknown) return "too short or too soft to be measured";
  const all = [];
  if (r.over) all.push(`its peak comes over ${figure(found.value!.ceiling)} dB`);
  if (r.held) all.push("gets as much gain as a clip can have");
  if (r.outlier) all.push("far from the others");
  return all.join("; ");
}
const level = (v: number) => (v > SILENCE ? figure(v) : "–");
const change = (v: number) => (Math.abs(v) < 0.05 ? "0.0" : v > 0 ? `+${figure(v)}` : figure(v));
</script>

<template>
  <section aria-label="Even out">
    <div class="choices">
      <el-select v-bind="readOut" v-model="of" size="small" aria-label="What is evened out">
        <el-option value="clips" label="Clip by clip" />
        <el-option value="tracks" label="Speaker by speaker" />
      </el-select>
      <el-select v-bind="readOut" :model-value="by" size="small" aria-label="What is made the same" @change="setWhat">
        <el-option value="loudness" label="to one loudness" />
        <el-option value="peak" label="to one peak" />
      </el-select>
    </div>
    <div class="target">
      <span>All to</span>
      <ValueField
        :value="found?.target ?? 0"
        :text="found && found.target > SILENCE ? `${figure(found.target)} ${unit}` : '–'"
        :parse="parseLevel"
        label="What all are brought to"
        @change="(to: number) => (typed = Math.max(-60, Math.min(-0.1, to)))"
      />
      <button v-if="typed !== undefined && by === 'loudness'" class="plain-button small" @click="typed = undefined">
        The middle of all
      </button>
      <span v-else-if="typed === undefined" class="soft">the middle of all</span>
    </div>
    <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
    <p v-else-if="found && found.rows.length === 0" class="soft">
      {{
        chosen ? "The chosen clips are silenced." : "There is no voice yet. Record one or import it, or choose clips."
      }}
    </p>
    <table v-else-if="found" :aria-busy="busy">
      <thead>
        <tr>
          <th class="what">{{ of === "tracks" ? "Speaker" : chosen ? "Chosen clip" : "Clip" }}</th>
          <th>Now</th>
          <th>After</th>
          <th>By dB</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in found.rows" :key="r.id" :class="{ left: r.unknown || left.has(r.id) }">
          <td class="what">
            <label :title="`${r.name} on ${r.track}, from ${timeText(r.start)}`">
              <input
                type="checkbox"
                :checked="!r.unknown && !left.has(r.id)"
                :disabled="r.unknown"
                :aria-label="`Even out ${r.name}`"
                @change="leave(r.id, !($event.target as HTMLInputElement).checked)"
              />
              <span class="cut">{{ r.name }}</span>
            </label>
            <small v-if="remark(r)" class="remark" :class="{ wrong: r.over }">{{ remark(r) }}</small>
          </td>
          <td class="figures">{{ level(r.now) }}</td>
          <td class="figures">{{ level(left.has(r.id) ? r.now : r.then) }}</td>
          <td class="figures">{{ left.has(r.id) || r.unknown ? "–" : change(r.change) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-else class="soft">Measuring the voices…</p>
    <p v-if="treated" class="soft before">Measured before the treatment, which then gets even voices.</p>
    <button class="plain-button filled" :disabled="taken.length === 0" @click="carryOut">
      {{
        taken.length === 0
          ? "All are even"
          : `Even out ${taken.length} ${of === "tracks" ? (taken.length > 1 ? "speakers" : "speaker") : taken.length > 1 ? "clips" : "clip"}`
      }}
    </button>
  </section>
</template>

<style scoped>
section {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
  font-size: var(--type-text);
}
.choices {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.target {
  display: grid;
  grid-template-columns: auto 96px auto;
  align-items: center;
  justify-content: start;
  gap: 8px;
}
.filled {
  justify-self: start;
}
table {
  width: 100%;
  border-collapse: collapse;
  table-layout: fixed;
}
th {
  width: 54px;
  padding: 2px 0;
  border-bottom: 1px solid var(--rule-strong);
  font-size: var(--type-small);
  font-weight: 400;
  color: var(--ink-soft);
  text-align: right;
}
th.what {
  width: auto;
  text-align: left;
}
td {
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
  text-align: right;
  vertical-align: top;
}
td.what {
  text-align: left;
}
label {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
}
.remark {
  display: block;
  padding-left: 20px;
  font-size: var(--type-small);
  color: var(--ink-soft);
}
.remark.wrong {
  color: var(--alarm);
}
.before {
  margin: 0;
  font-size: var(--type-small);
}
.left .figures,
.left .cut {
  color: var(--ink-soft);
}
.small {
  padding: 2px 8px;
  font-size: var(--type-hint);
}
</style>
