<script setup lang="ts">
import { Play, Square } from "lucide-vue-next";
import { computed, onBeforeUnmount, shallowRef, watch } from "vue";
import { api, type Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import ValueField from "../../desk/widgets/ValueField.vue";
import { parseTime, RATE, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useAsked } from "../../talk/asked";

/** Brings a piece of music to a length by leaving out bars of it, or playing some again: two ways to choose from. */
const session = useSession();
const desk = useDeskContext();
const found = shallowRef<Schema["Fits"]>();
/** Frames before and after a join that are heard of it. */
const AROUND = 3 * RATE;
/** Refusals after which a loop or a fade can do instead. */
const OTHERWISE = ["no-beat", "no-join", "too-short", "too-long"];

/** Of the chosen clips the first that is no voice. */
const clip = computed(() =>
  desk.selection.clips.find((id) => session.clip(id) && session.trackOfClip(id)?.part !== "voice"),
);
const named = computed(() => session.clip(clip.value ?? ""));
/** The row of clips that is the piece now, and how long it is. */
const now = computed(() => {
  const row = (found.value?.clips ?? []).map((id) => session.clip(id)).filter((c) => c !== undefined);
  const all = row.length > 0 && found.value?.clips.includes(clip.value ?? "") ? row : named.value ? [named.value] : [];
  const start = Math.min(...all.map((c) => c.start));
  return { start, length: Math.max(...all.map((c) => c.start + c.length)) - start };
});
/** Where the piece is to end, if somebody has said so. */
const until = computed(() => {
  const want = desk.fitting.value;
  const row = found.value?.clips.includes(want?.clip ?? "") ? found.value.clips : [want?.clip];
  return row.includes(clip.value) ? want?.until : undefined;
});
const wanted = computed({
  get: () => (until.value === undefined ? now.value.length : until.value - now.value.start),
  set: (length) => {
    if (clip.value) desk.fitting.value = { clip: clip.value, until: now.value.start + length, settled: true };
  },
});
const {
  answer,
  refusal: problem,
  asking: looking,
} = useAsked<Schema["Fits"]>({
  what: () => [clip.value, desk.fitting.value?.until],
  when: () => session.version,
  rest: 200,
  ask: (signal) => {
    const of = clip.value;
    if (!session.open || !of) return undefined;
    const query = { clip: of, until: Math.round(until.value ?? now.value.start + now.value.length) };
    return api.GET("/episodes/{episode}/fit", { params: { path: { episode: session.open.episode }, query }, signal });
  },
});
watch(answer, (there) => (found.value = there));
// A length that the end was dragged to is made at once, in the best way there is.
watch(found, (there) => {
  const want = desk.fitting.value;
  if (!there || !want || want.settled) return;
  want.settled = true;
  const best = there.ways[0];
  if (best && !best.used) make(best);
});
onBeforeUnmount(() => (desk.fitting.value = undefined));

type Way = Schema["FitWay"];

/** The first clip of the row stays, whatever becomes of the others. */
function make(way: Way): void {
  const [first] = way.op.clips;
  if (desk.fitting.value) desk.fitting.value.clip = first!;
  desk.selection.clips = [first!];
  void session.edit(way.op);
}

function triedAt(way: Way, join: number): string {
  const from = Math.max(0, Math.round(join - AROUND));
  const query = new URLSearchParams({
    op: JSON.stringify(way.op),
    from: String(from),
    to: String(Math.round(join + AROUND)),
  });
  return `/episodes/${session.open?.episode}/try?${query.toString()}`;
}

function loop(): void {
  if (clip.value) void session.edit({ type: "loop-clip", clip: clip.value, length: Math.round(wanted.value) });
}

function fadeThere(): void {
  const at = Math.round(now.value.start + wanted.value);
  if (clip.value) void session.edit({ type: "fade-out-by", clip: clip.value, at });
}
</script>

<template>
  <p v-if="!named" class="soft none">Choose a piece of music on a track to bring it to another length.</p>
  <template v-else>
    <p class="piece">
      <b>{{ named.name }}</b> is {{ timeText(now.length) }} long<template v-if="found?.tempo">
        · {{ Math.round(found.tempo) }} beats a minute, {{ found.bar }} in a bar</template
      >
    </p>
    <label>
      <span>Fit to</span>
      <ValueField
        :value="wanted"
        :text="timeText(wanted)"
        :parse="parseTime"
        label="Fit to the length"
        @change="(v: number) => (wanted = v)"
      />
      <span class="soft">or drag its end</span>
    </label>
    <p v-if="looking" class="soft" role="status">Listening for its beats and bars …</p>
    <template v-if="problem">
      <p class="alarm" role="alert">{{ problem.message }}</p>
      <div v-if="OTHERWISE.includes(problem.code)" class="otherwise">
        <button v-if="wanted > now.length" class="plain-button" @click="loop">Fill {{ timeText(wanted) }}</button>
        <button v-if="wanted < now.length" class="plain-button" @click="fadeThere">
          Let it fade out by {{ timeText(wanted) }}
        </button>
      </div>
    </template>
    <ul v-else-if="found && until !== undefined" class="plain-list" aria-label="Ways to fit it" :aria-busy="looking">
      <li v-for="(way, i) in found.ways" :key="i" :class="{ used: way.used }">
        <h3>
          {{ i === 0 ? "The best way" : "Another way" }} <span class="figures">{{ timeText(way.length) }}</span>
        </h3>
        <p class="soft">{{ way.off }}; {{ way.hidden }}.</p>
        <div v-for="(join, k) in way.joins" :key="join" class="join">
          <button
            class="row-button"
            :aria-label="`Hear join ${k + 1} of ${i === 0 ? 'the best way' : 'the other way'}`"
            @click="desk.hearing.toggle(triedAt(way, join))"
          >
            <component :is="desk.hearing.state.address === triedAt(way, join) ? Square : Play" :size="13" />
          </button>
          <span
            >goes from <span class="figures">{{ timeText(way.parts[k]!.to) }}</span> of the piece to
            <span class="figures">{{ timeText(way.parts[k + 1]!.from) }}</span></span
          >
        </div>
        <p v-if="way.used" class="made" role="status">It is so now.</p>
        <button v-else class="plain-button filled" :disabled="looking" @click="make(way)">
          {{ i === 0 ? "Fit it so" : "Fit it this way" }}
        </button>
      </li>
    </ul>
  </template>
</template>

<style scoped>
.piece {
  margin: 0 0 8px;
  font-size: var(--type-text);
}
label {
  display: grid;
  grid-template-columns: auto 84px 1fr;
  align-items: center;
  gap: 8px;
  font-size: var(--type-text);
}
label :deep(input) {
  border-color: var(--rule-strong);
}
ul {
  display: grid;
  gap: 10px;
  margin-top: 12px;
}
li {
  padding: 8px 10px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius);
  background: var(--sheet);
  font-size: var(--type-text);
}
li.used {
  border-color: var(--music);
}
h3 {
  display: flex;
  justify-content: space-between;
  margin: 0 0 2px;
  font-size: var(--type-text);
}
li p {
  margin: 0 0 6px;
}
.join {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 2px 0;
}
.made {
  margin: 6px 0 0;
  color: var(--music);
  font-weight: 600;
}
.filled,
.otherwise {
  margin-top: 8px;
}
.otherwise {
  display: flex;
  gap: 8px;
}
.none {
  padding: 8px 0;
}
</style>
