<script setup lang="ts">
import { computed, ref } from "vue";
import type { Schema } from "../../api/client";
import SliderRow from "../../desk/widgets/SliderRow.vue";
import { bridgeOf } from "../../drawing/way";
import { figure, lengthText, parseLevel, parseTime, RATE } from "../../model/units";
import { useLists } from "../../stores/lists";
import { useSession } from "../../stores/session";
import Tick from "../../talk/Tick.vue";

/** How far a track goes down for speech, how fast, over which pauses, and for whom. */
const props = defineProps<{
  way: Schema["Way"];
  usual: Schema["Way"] | undefined;
  voices: Schema["Track"][];
  /** Carries a change out; resolves when it has been kept, or refused. */
  set: (change: Partial<Schema["Way"]>, gesture?: string) => Promise<unknown>;
}>();
const session = useSession();
const lists = useLists();
const details = ref(false);

type Key = "lead" | "most" | "drop" | "down" | "up" | "bridge" | "stay";
interface Row {
  key: Key;
  label: string;
  text: (value: number) => string;
  parse: (text: string) => number | undefined;
  /** What the slider goes from and to; left out: all that can be typed. */
  slides?: [low: number, high: number];
  step: number;
  seen: () => boolean;
}

const frames = (millis: number) => (millis / 1000) * RATE;
const length = (millis: number) => lengthText(frames(millis));
function parseLength(text: string): number | undefined {
  const typed = parseTime(text.replace("<", ""));
  return typed === undefined ? undefined : (typed / RATE) * 1000;
}
function parseDown(text: string): number | undefined {
  const typed = parseLevel(text);
  return typed === undefined ? undefined : Math.abs(typed);
}
const down = (db: number) => `−${figure(db)} dB`;
const byLead = () => props.way.by === "lead";

const ROWS: Row[] = [
  {
    key: "lead",
    label: "Voice lead",
    text: (v) => `${figure(v)} LU`,
    parse: (text) => parseLevel(text.replace(/lu\s*$/i, "")),
    step: 0.5,
    seen: byLead,
  },
  { key: "most", label: "At most", text: down, parse: parseDown, step: 0.5, seen: byLead },
  {
    key: "drop",
    label: "Drop",
    text: down,
    parse: parseDown,
    step: 0.5,
    seen: () => !byLead(),
  },
  {
    key: "down",
    label: "Down in",
    text: length,
    parse: parseLength,
    slides: [100, 3000],
    step: 50,
    seen: () => true,
  },
  {
    key: "up",
    label: "Up in",
    text: length,
    parse: parseLength,
    slides: [100, 6000],
    step: 50,
    seen: () => true,
  },
  {
    key: "bridge",
    label: "Pauses",
    text: (v) => `< ${length(v)}`,
    parse: parseLength,
    slides: [0, 10000],
    step: 100,
    seen: () => true,
  },
  {
    key: "stay",
    label: "Up at least",
    text: length,
    parse: parseLength,
    slides: [0, 6000],
    step: 100,
    seen: () => details.value,
  },
];
const rows = computed(() => ROWS.filter((r) => r.seen()));
const bridged = computed(() => bridgeOf(props.way));

function type(r: Row, value: number, gesture?: string): void {
  const { low, high } = lists.range("way", r.key);
  void props.set({ [r.key]: Math.min(high, Math.max(low, value)) }, gesture);
}

function isFor(id: string): boolean {
  const named = props.way.for ?? [];
  return named.length === 0 || named.includes(id);
}

function choose(id: string, wanted: boolean): Promise<unknown> | void {
  const chosen = props.voices.map((t) => t.id).filter((v) => (v === id ? wanted : isFor(v)));
  if (chosen.length === 0) return session.say("It makes way for one voice at least. Switch it off instead.");
  return props.set({ for: chosen.length === props.voices.length ? undefined : chosen });
}
</script>

<template>
  <div class="by" role="radiogroup" aria-label="How far it goes down">
    <button
      v-for="(name, by) in { lead: 'Hold a voice lead', drop: 'Fixed drop' } as const"
      :key="by"
      role="radio"
      :aria-checked="way.by === by"
      :class="{ filled: way.by === by }"
      @click="set({ by })"
    >
      {{ name }}
    </button>
  </div>
  <SliderRow
    v-for="r in rows"
    :key="r.key"
    :label="r.label"
    of="Making way:"
    :value="way[r.key]"
    :text="r.text(way[r.key])"
    :parse="r.parse"
    :min="r.slides?.[0] ?? lists.range('way', r.key).low"
    :max="r.slides?.[1] ?? lists.range('way', r.key).high"
    :step="r.step"
    :normal="usual?.[r.key]"
    @change="(v: number, g?: string) => type(r, v, g)"
  />
  <p v-if="bridged > frames(way.bridge) + 1" class="soft hint">
    It stays down over pauses of less than {{ lengthText(bridged) }}: in shorter ones it would not be up for
    {{ length(way.stay) }}.
  </p>
  <button class="more" :aria-expanded="details" @click="details = !details">
    {{ details ? "Fewer settings" : "More settings" }}
  </button>
  <fieldset v-if="details && voices.length > 1">
    <legend>For the speech of</legend>
    <label v-for="v in voices" :key="v.id" class="voice cut" :title="v.name">
      <Tick :on="isFor(v.id)" :set="(wanted: boolean) => choose(v.id, wanted)" />
      {{ v.name }}
    </label>
  </fieldset>
</template>

<style scoped>
.hint {
  margin: 2px 0 4px;
  font-size: var(--type-hint);
}
.by {
  display: grid;
  grid-template-columns: 1fr 1fr;
  margin: 4px 0;
  border: 1px solid var(--ink);
  border-radius: var(--radius);
  overflow: hidden;
}
.by button {
  padding: 4px;
  border: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  font-size: var(--type-hint);
  cursor: pointer;
}
.by .filled {
  background: var(--ink);
  color: var(--ink-inverse);
}
.more {
  padding: 2px 0;
  border: 0;
  background: none;
  color: var(--ink-soft);
  font: inherit;
  font-size: var(--type-hint);
  text-decoration: underline;
  cursor: pointer;
}
fieldset {
  margin: 4px 0;
  padding: 4px 8px;
  border: 1px solid var(--rule);
  border-radius: var(--radius);
  font-size: var(--type-hint);
}
.voice {
  display: block;
}
</style>
