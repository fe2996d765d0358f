<script setup lang="ts">
import { Play, Square } from "lucide-vue-next";
import { computed, onBeforeUnmount, ref } from "vue";
import { api, type Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { figure, RATE, timeText } from "../../model/units";
import { useBalance } from "../../stores/balance";
import { useSession } from "../../stores/session";
import Tick from "../../talk/Tick.vue";
import { announce } from "../../talk/announce";
import { useAsked } from "../../talk/asked";

/** Makes room for speech in the whole session: shown first on the timeline and as a list, and heard before it is kept. */
const emit = defineEmits<{ done: [] }>();
const session = useSession();
const desk = useDeskContext();
const balance = useBalance();
const left = ref<string[]>([]);
/** So much is heard from the playhead on. */
const HEARD = 20 * RATE;
/** So many reasons are told why something is still missed. */
const MOST_STILL = 4;
const {
  answer: found,
  problem,
  asking: busy,
} = useAsked<Schema["Room"]>({
  what: () => left.value,
  when: () => session.version,
  rest: 300,
  ask: (signal) => {
    const path = session.open && { episode: session.open.episode };
    const query = { rev: session.coming, without: left.value.join() };
    return path && api.GET("/episodes/{episode}/room", { params: { path, query }, signal });
  },
  take: (there) => {
    announce(foundText(there));
    balance.proposed = { ...there.then, settings: Object.fromEntries(there.rows.map((r) => [r.track, r.way])) };
  },
});
onBeforeUnmount(() => {
  balance.proposed = undefined;
  if (tried.value && desk.hearing.state.address === tried.value) desk.hearing.stop();
});

const op = computed(() => ({
  type: "set-tracks" as const,
  tracks: (found.value?.rows ?? []).map((r) => ({ track: r.track, way: r.way })),
}));
const tried = computed(() => {
  if (!found.value || found.value.rows.length === 0) return "";
  const from = Math.round(desk.playhead.value);
  const query = new URLSearchParams({ op: JSON.stringify(op.value), from: String(from), to: String(from + HEARD) });
  return `/episodes/${session.open?.episode}/try?${query.toString()}`;
});
/** Tracks that were left out stay in the list, so that they can be taken in again. */
const out = computed(() => (session.document?.tracks ?? []).filter((t) => left.value.includes(t.id)));
/** What it would come to, as a sentence. */
function foundText(there: Schema["Room"]): string {
  if (there.now.typical === undefined) return "Nobody is heard to speak, so there is nothing to make room for.";
  if (there.rows.length === 0) return "No track for music or effects needs to make more way.";
  const lead = `${figure(there.now.typical)} LU now, ${figure(there.then.typical ?? 0)} after`;
  const many = there.rows.length === 1 ? "one track" : `${there.rows.length} tracks`;
  return `Make room: the voice leads by ${lead}; missed in ${places(missing(there.now))}, after in ${places(missing(there.then))}; ${many} would make way.`;
}
const missing = (b: Schema["Balance"]) => b.misses.filter((m) => !m.excused).length;
const places = (n: number) => (n === 0 ? "none" : n === 1 ? "one place" : `${n} places`);

/** What would still cover speech, by why no more of it is taken away, and where it does so first. */
const still = computed(() => {
  const all = new Map<string, { why: string; from: number; places: number }>();
  for (const m of found.value?.then.misses ?? []) {
    if (m.excused) continue;
    const why = m.why ?? m.text;
    const known = all.get(why);
    if (known) known.places++;
    else all.set(why, { why, from: m.from, places: 1 });
  }
  return [...all.values()];
});

function hear(): void {
  desk.hearing.toggle(tried.value);
}

async function keep(): Promise<void> {
  if (op.value.tracks.length === 0) return;
  if (await session.edit(op.value)) emit("done");
}
</script>

<template>
  <section class="room" aria-label="Make room for speech">
    <h3>Make room for speech</h3>
    <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
    <p v-else-if="!found" class="soft">Looking…</p>
    <template v-else>
      <p v-if="found.now.typical === undefined" class="soft">
        Nobody is heard to speak, so there is nothing to make room for.
      </p>
      <table v-else>
        <thead>
          <tr>
            <th></th>
            <th>now</th>
            <th>after</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <th>Voice leads by, typically</th>
            <td class="figures">{{ figure(found.now.typical) }}</td>
            <td class="figures">{{ figure(found.then.typical ?? 0) }} LU</td>
          </tr>
          <tr>
            <th>At its lowest</th>
            <td class="figures">{{ figure(found.now.lowest ?? 0) }}</td>
            <td class="figures">{{ figure(found.then.lowest ?? 0) }} LU</td>
          </tr>
          <tr>
            <th>Misses {{ found.now.target.lead }} LU in</th>
            <td>{{ places(missing(found.now)) }}</td>
            <td>{{ places(missing(found.then)) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="found.rows.length === 0 && out.length === 0 && found.now.typical !== undefined" class="soft">
        No track for music or effects needs to make more way for that.
      </p>
      <ul v-else class="plain-list" :class="{ busy }">
        <li v-for="r in found.rows" :key="r.track">
          <label>
            <Tick :on="!left.includes(r.track)" :set="() => (left = [...left, r.track])" />
            <span
              ><b>{{ r.name }}</b> <span class="soft">{{ r.text }}</span></span
            >
          </label>
        </li>
        <li v-for="t in out" :key="t.id" class="off">
          <label>
            <Tick :on="!left.includes(t.id)" :set="() => (left = left.filter((id) => id !== t.id))" />
            <span
              ><b>{{ t.name }}</b> <span class="soft">stays as it is</span></span
            >
          </label>
        </li>
      </ul>
      <template v-if="still.length > 0">
        <p class="soft">Still missed after that:</p>
        <ul class="plain-list still">
          <li v-for="s in still.slice(0, MOST_STILL)" :key="s.why">
            <span class="figures">{{ timeText(s.from, 1) }}</span> <span>{{ s.why }}</span>
            <span v-if="s.places > 1" class="soft"> In {{ s.places }} places.</span>
          </li>
        </ul>
        <p v-if="still.length > MOST_STILL" class="soft">And {{ still.length - MOST_STILL }} more: see the strip.</p>
      </template>
      <div class="acts">
        <button class="plain-button filled" :disabled="op.tracks.length === 0 || busy" @click="keep">Make room</button>
        <button class="plain-button" :disabled="!tried" @click="hear">
          <component
            :is="tried && desk.hearing.state.address === tried ? Square : Play"
            :size="13"
            aria-hidden="true"
          />
          Hear it
        </button>
        <button class="plain-button" @click="emit('done')">Cancel</button>
      </div>
      <p class="soft hint">It is shown on the timeline already, and heard from the playhead on.</p>
    </template>
  </section>
</template>

<style scoped>
h3 {
  font-size: var(--type-body);
}
p,
table,
li {
  font-size: var(--type-hint);
}
table {
  width: 100%;
  margin: 4px 0;
  border-collapse: collapse;
}
th {
  font-weight: 400;
  text-align: left;
}
thead th,
td {
  text-align: right;
  color: var(--ink-soft);
}
td:last-child {
  color: var(--ink);
}
li label {
  display: flex;
  gap: 6px;
  align-items: baseline;
  padding: 2px 0;
}
.busy {
  opacity: 0.6;
}
.off b {
  font-weight: 400;
}
.still {
  margin: 0 0 4px;
}
.acts {
  display: flex;
  gap: 6px;
  margin: 8px 0 4px;
}
.acts button {
  padding: 4px 10px;
  font-size: var(--type-hint);
}
.hint {
  margin: 0;
  font-size: var(--type-small);
}
</style>
