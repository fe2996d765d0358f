<script setup lang="ts">
import PickList from "../../desk/widgets/PickList.vue";
import { Play, Square } from "lucide-vue-next";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { api, type Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import ValueField from "../../desk/widgets/ValueField.vue";
import { lengthText, parseTime, RATE, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useAsked } from "../../talk/asked";

/** Tightens pauses in speech: each is shown and can be heard, or left out, before anything is done. */
const session = useSession();
const desk = useDeskContext();
const longer = ref(0.8 * RATE);
const to = ref(0.5 * RATE);
/** The track alone, or all in step. */
const on = ref("");
/** Pauses that have been left out or taken in by hand, by their beginnings. */
const changed = ref(new Map<number, boolean>());
const AROUND = 1.5 * RATE;

const {
  answer,
  problem,
  asking: looking,
} = useAsked<Schema["Pauses"]>({
  what: () => [longer.value, to.value, on.value],
  when: () => session.version,
  rest: 300,
  ask: (signal) => {
    const query = { tracks: on.value || undefined, longer: Math.round(longer.value), to: Math.round(to.value) };
    const path = session.open && { episode: session.open.episode };
    return path && api.GET("/episodes/{episode}/pauses", { params: { path, query }, signal });
  },
});
const found = computed(() => answer.value?.pauses ?? []);

const voices = computed(() => (session.document?.tracks ?? []).filter((t) => t.part === "voice"));
const places = computed(() => [
  { value: "", name: "all tracks, in step" },
  ...voices.value.map((t) => ({ value: t.id, name: `${t.name} alone` })),
]);
const chosen = (p: Schema["Pause"]) => changed.value.get(p.from) ?? p.chosen;
const cuts = computed(() => found.value.filter(chosen).map((p) => ({ from: p.cutFrom, to: p.cutTo })));
const saved = computed(() => cuts.value.reduce((sum, c) => sum + c.to - c.from, 0));

watch([longer, to, on], () => changed.value.clear());
watch(
  [found, changed],
  () => {
    desk.proposed.value = found.value.map((p) => ({ from: p.cutFrom, to: p.cutTo, chosen: chosen(p) }));
  },
  { deep: true },
);
onBeforeUnmount(() => (desk.proposed.value = []));

const op = (ranges: { from: number; to: number }[]) => ({
  type: "tighten-pauses" as const,
  cuts: ranges,
  tracks: on.value ? [on.value] : undefined,
});

/** The address of how a pause would sound when it is tightened. */
function triedAt(p: Schema["Pause"]): string {
  const cut = { from: p.cutFrom, to: p.cutTo };
  const from = Math.max(0, Math.round(p.cutFrom - AROUND));
  const query = new URLSearchParams({
    op: JSON.stringify(op([cut])),
    from: String(from),
    to: String(Math.round(p.cutFrom + AROUND)),
  });
  return `/episodes/${session.open?.episode}/try?${query.toString()}`;
}

function show(p: Schema["Pause"]): void {
  desk.seek(p.from);
  desk.time.fit(p.from - RATE, p.to + RATE);
}

async function tighten(): Promise<void> {
  const done = await session.edit(op(cuts.value));
  if (done) changed.value.clear();
}
</script>

<template>
  <div class="settings">
    <label>
      <span>Pauses longer than</span>
      <ValueField
        :value="longer"
        :text="lengthText(longer)"
        :parse="parseTime"
        label="Pauses longer than"
        @change="(v: number) => (longer = v)"
      />
    </label>
    <label>
      <span>become</span>
      <ValueField
        :value="to"
        :text="lengthText(to)"
        :parse="parseTime"
        label="become"
        @change="(v: number) => (to = v)"
      />
    </label>
    <label class="where">
      <span>On</span>
      <PickList v-model="on" label="Tighten on" :options="places" />
    </label>
  </div>
  <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
  <p v-else-if="voices.length === 0" class="soft none">There is no voice track yet.</p>
  <p v-else-if="found.length === 0 && !looking" class="soft none">
    Nobody is silent for longer than that between the first word and the last.
  </p>
  <ul v-else class="plain-list" aria-label="Pauses that can be tightened">
    <li v-for="p in found" :key="p.from" :class="{ off: !chosen(p) }">
      <input
        type="checkbox"
        :checked="chosen(p)"
        :aria-label="`Tighten the pause at ${timeText(p.from)}`"
        @change="changed.set(p.from, !chosen(p))"
      />
      <button class="go figures" :title="`Show the pause at ${timeText(p.from)}`" @click="show(p)">
        {{ timeText(p.from) }}
      </button>
      <span class="figures">{{ lengthText(p.to - p.from) }}</span>
      <button
        class="row-button"
        :aria-label="`Hear the pause at ${timeText(p.from)} as it would be`"
        title="Hear it as it would be"
        @click="desk.hearing.toggle(triedAt(p))"
      >
        <component :is="desk.hearing.state.address === triedAt(p) ? Square : Play" :size="13" />
      </button>
    </li>
  </ul>
  <button class="plain-button filled" :disabled="cuts.length === 0" @click="tighten">
    {{ cuts.length === 1 ? "Tighten 1 pause" : `Tighten ${cuts.length} pauses` }}, {{ lengthText(saved) }} shorter
  </button>
</template>

<style scoped>
.settings {
  display: grid;
  gap: 6px;
  font-size: var(--type-text);
}
label {
  display: grid;
  grid-template-columns: 1fr 76px;
  align-items: center;
  gap: 8px;
}
label.where {
  grid-template-columns: auto 1fr;
}
label :deep(input) {
  border-color: var(--rule-strong);
}
ul {
  max-height: 46vh;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: auto auto 1fr auto;
  align-items: center;
  gap: 8px;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-text);
}
li.off .figures {
  color: var(--ink-soft);
}
.go {
  padding: 1px 6px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius-button);
  background: var(--sheet);
  font-size: var(--type-small);
  cursor: pointer;
}
.filled {
  margin-top: 12px;
}
.none {
  padding: 8px 0;
}
</style>
