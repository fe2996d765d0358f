<script setup lang="ts">
import { ElOption, ElOptionGroup, ElSelect } from "element-plus";
import { Pause, Play } from "lucide-vue-next";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { api, type Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { togglePlay } from "../../desk/transport/transport";
import ComparisonTable from "./ComparisonTable.vue";
import { useSession } from "../../stores/session";
import { useAsked } from "../../talk/asked";

/** Compares the present mix with an earlier one, both as loud; without knowing which is which, if that is wanted. */
const session = useSession();
const desk = useDeskContext();
/** Milliseconds for which the hand rests before anything is asked anew. */
const REST_MS = 400;
const of = ref("");
/** Which of both is heard: the present one, or the other. */
const heard = ref<"now" | "then">("now");
/** Blind: the present one is behind A, or behind B; undefined: not blind. */
const blind = ref<"a" | "b">();
const chosen = ref<"a" | "b">("a");
const revealed = ref(false);

const path = () => ({ episode: session.open!.episode });

const past = useAsked<Schema["Past"]>({
  when: () => session.version,
  rest: REST_MS,
  ask: (signal) =>
    session.open && api.GET("/episodes/{episode}/history", { params: { path: path(), query: { most: 200 } }, signal }),
});
const steps = computed(() => past.answer.value?.steps ?? []);
const applied = computed(() => past.answer.value?.applied ?? 0);
const named = useAsked<Schema["NamedVersion"][] | null>({
  when: () => session.version,
  rest: REST_MS,
  ask: (signal) => session.open && api.GET("/episodes/{episode}/versions", { params: { path: path() }, signal }),
});
const versions = computed(() => named.answer.value ?? []);
const {
  answer: compared,
  problem,
  asking: busy,
} = useAsked<Schema["Compared"]>({
  what: () => of.value,
  when: () => session.version,
  rest: REST_MS,
  ask: (signal) => {
    if (!session.open || !of.value) return undefined;
    const params = { path: path(), query: { of: of.value, rev: session.version } };
    return api.GET("/episodes/{episode}/compare", { params, signal });
  },
  take: () => listen(),
});

/** What the player is to play. */
function listen(): void {
  if (!compared.value) return;
  const { now, then } = compared.value;
  desk.compared.value = heard.value === "now" ? { of: "", gain: now.gain } : { of: of.value, gain: then.gain };
}

function hear(which: "now" | "then"): void {
  heard.value = which;
  listen();
}

/** A or B is heard, whichever is behind it. */
function hearBlind(which: "a" | "b"): void {
  chosen.value = which;
  hear(which === blind.value ? "now" : "then");
}

function hide(): void {
  const coin = new Uint8Array(1);
  crypto.getRandomValues(coin);
  blind.value = coin[0]! % 2 === 0 ? "a" : "b";
  revealed.value = false;
  hearBlind("a");
}

function open(): void {
  blind.value = undefined;
  revealed.value = false;
}

watch(of, () => {
  heard.value = "now";
  open();
});
onBeforeUnmount(() => (desk.compared.value = undefined)); // and an answer that comes later sets it no more

const earlier = computed(() => steps.value.filter((s) => s.step !== applied.value));
/** The state before the first step, too. */
const first = computed(() => steps.value.some((s) => s.step === 1) && applied.value !== 0);
const secret = computed(() => blind.value !== undefined && !revealed.value);
</script>

<template>
  <p class="soft intro">Hear the mix as it was before, as loud as it is now, and change over while it plays.</p>
  <el-select v-model="of" size="small" placeholder="Compare with…" aria-label="Compare with" filterable>
    <el-option-group v-if="versions.length > 0" label="Named versions">
      <el-option v-for="v in versions" :key="v.id" :value="`named:${v.id}`" :label="v.name" />
    </el-option-group>
    <el-option-group label="After a step of the history">
      <el-option v-for="s in earlier" :key="s.step" :value="`step:${s.step}`" :label="s.name" />
      <el-option v-if="first" value="step:0" label="Before the first step" />
    </el-option-group>
  </el-select>
  <p v-if="steps.length === 0 && versions.length === 0" class="soft">
    Nothing has been changed yet, so there is nothing to compare with. Name a version in Arrange, History.
  </p>
  <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
  <p v-if="busy && !compared" class="soft" role="status">Measuring both…</p>
  <template v-if="compared">
    <div class="hear" role="group" aria-label="Which is heard">
      <button
        class="round"
        :aria-label="desk.player.state.playing ? 'Pause the comparison' : 'Play the comparison'"
        @click="togglePlay(desk, session.length)"
      >
        <component :is="desk.player.state.playing ? Pause : Play" :size="15" />
      </button>
      <template v-if="blind === undefined">
        <button class="plain-button" :aria-pressed="heard === 'now'" @click="hear('now')">Now</button>
        <button class="plain-button" :aria-pressed="heard === 'then'" @click="hear('then')">Before</button>
      </template>
      <template v-else>
        <button class="plain-button" :aria-pressed="chosen === 'a'" @click="hearBlind('a')">A</button>
        <button class="plain-button" :aria-pressed="chosen === 'b'" @click="hearBlind('b')">B</button>
      </template>
    </div>
    <p v-if="blind && revealed" role="status">
      <strong>A is {{ blind === "a" ? "now" : "before" }}, B is {{ blind === "b" ? "now" : "before" }}.</strong>
    </p>
    <div class="acts">
      <button v-if="!blind" class="plain-button" @click="hide">Compare blind</button>
      <button v-if="secret" class="plain-button" @click="revealed = true">Reveal</button>
      <button v-if="blind" class="plain-button" @click="open">Not blind any more</button>
    </div>
    <template v-if="!secret">
      <ComparisonTable :compared="compared" />
    </template>
    <p v-else class="soft">Which is which is hidden until you reveal it. Both are as loud.</p>
  </template>
</template>

<style scoped>
.intro,
p,
li {
  font-size: var(--type-hint);
}
.hear,
.acts {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 12px 0 8px;
}
.hear .plain-button {
  flex: 1;
  justify-content: center;
}
.hear [aria-pressed="true"] {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--ink-inverse);
}
.round {
  display: grid;
  place-items: center;
  width: 32px;
  height: 32px;
  border: 0;
  border-radius: var(--radius-round);
  background: var(--ink);
  color: var(--ink-inverse);
  cursor: pointer;
}
.acts button {
  padding: 4px 10px;
  font-size: var(--type-hint);
}
</style>
