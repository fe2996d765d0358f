<script setup lang="ts">
import { X } from "lucide-vue-next";
import { computed, ref } from "vue";
import { api, type Schema } from "../../api/client";
import { timeText, whenText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useAsked } from "../../talk/asked";

/** Every step that was made, to go back to, and versions that somebody has named. */
const session = useSession();
const steps = ref<Schema["Step"][]>([]);
const name = ref("");
const PAGE = 200;

const path = () => ({ episode: session.open!.episode });

const past = useAsked<Schema["Past"]>({
  when: () => session.version,
  rest: 150,
  ask: (signal) => {
    const query = { most: Math.max(PAGE, steps.value.length) };
    return session.open && api.GET("/episodes/{episode}/history", { params: { path: path(), query }, signal });
  },
  take: (there) => (steps.value = there.steps),
});
const applied = computed(() => past.answer.value?.applied ?? 0);
const named = useAsked<Schema["NamedVersion"][] | null>({
  when: () => session.version,
  rest: 150,
  ask: (signal) => session.open && api.GET("/episodes/{episode}/versions", { params: { path: path() }, signal }),
});
const versions = computed(() => named.answer.value ?? []);

/** Those before the first one that is shown. */
const before = useAsked<Schema["Past"]>({
  ask: (signal) => {
    const query = { before: steps.value[steps.value.length - 1]?.step ?? 0, most: PAGE };
    return session.open && api.GET("/episodes/{episode}/history", { params: { path: path(), query }, signal });
  },
  take: (there) => (steps.value = [...steps.value, ...there.steps]),
});

function goTo(step: number): void {
  void session.travel(() => api.POST("/episodes/{episode}/history/{step}", { params: { path: { ...path(), step } } }));
}

async function keep(): Promise<void> {
  const body = { name: name.value.trim() };
  if (!body.name) return;
  if (await session.attempt(api.POST("/episodes/{episode}/versions", { params: { path: path() }, body }))) {
    name.value = "";
    await named.refresh();
  }
}

function back(version: string): void {
  const params = { path: { ...path(), version } };
  void session.travel(() => api.POST("/episodes/{episode}/versions/{version}/return", { params }));
}

async function forget(version: string): Promise<void> {
  const params = { path: { ...path(), version } };
  if (await session.attempt(api.DELETE("/episodes/{episode}/versions/{version}", { params }))) await named.refresh();
}
</script>

<template>
  <p v-if="past.problem.value || named.problem.value" class="alarm" role="alert">
    {{ past.problem.value || named.problem.value }}
  </p>
  <h3>Named versions</h3>
  <form @submit.prevent="keep">
    <input
      v-model="name"
      class="text-field"
      maxlength="200"
      placeholder="Name the session as it is now"
      aria-label="Name of the version"
    />
    <button class="plain-button" type="submit" :disabled="!name.trim()">Save</button>
  </form>
  <ul class="plain-list">
    <li v-for="v in versions" :key="v.id" class="version">
      <span class="cut" :title="v.name">{{ v.name }}</span>
      <span class="soft when">{{ timeText(v.length, 0) }} · {{ whenText(v.made) }}</span>
      <button class="link" :aria-label="`Return to ${v.name}`" @click="back(v.id)">Return</button>
      <button class="sign" :aria-label="`Remove the version ${v.name}`" title="Remove it" @click="forget(v.id)">
        <X :size="14" />
      </button>
    </li>
  </ul>
  <hr class="panel-rule" />
  <h3>Steps</h3>
  <p v-if="steps.length === 0" class="soft none">What you do is listed here, and every step can be gone back to.</p>
  <ol v-else class="plain-list steps" aria-label="Steps of the history">
    <li v-for="s in steps" :key="s.step" :class="{ undone: s.step > applied, now: s.step === applied }">
      <button
        :aria-current="s.step === applied ? 'step' : undefined"
        :title="s.step === applied ? `${s.name}: here you are` : `Go to where ${s.name} had just been done`"
        @click="goTo(s.step)"
      >
        <span class="cut">{{ s.name }}</span>
        <span class="soft when">{{ s.by ? `${s.by}, ` : "" }}{{ s.step === applied ? "now" : whenText(s.made) }}</span>
      </button>
    </li>
    <li v-if="steps[steps.length - 1]!.step === 1" :class="{ now: applied === 0 }">
      <button :aria-current="applied === 0 ? 'step' : undefined" @click="goTo(0)">
        <span class="cut">The beginning</span>
      </button>
    </li>
  </ol>
  <button v-if="steps.length > 0 && steps[steps.length - 1]!.step > 1" class="plain-button" @click="before.refresh()">
    Earlier steps
  </button>
</template>

<style scoped>
h3 {
  margin: 0 0 6px;
  font-size: var(--type-text);
}
form {
  display: flex;
  gap: 6px;
}
form input {
  flex: 1;
}
.version {
  display: grid;
  grid-template-columns: 1fr auto auto auto;
  align-items: center;
  gap: 8px;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-text);
}
.when {
  flex: none;
  font-size: var(--type-small);
}
.sign {
  display: grid;
  padding: 3px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}
.steps button {
  display: flex;
  width: 100%;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
  padding: 4px 6px;
  border: 0;
  border-left: 4px solid var(--rule-strong);
  background: none;
  color: inherit;
  font: inherit;
  font-size: var(--type-text);
  text-align: left;
  cursor: pointer;
}
.steps button:hover {
  background: var(--paper);
}
.steps .now button {
  border-left-color: var(--ink);
  background: var(--paper);
  font-weight: 600;
}
.steps .undone button {
  color: var(--ink-soft);
  text-decoration: line-through;
}
.steps .undone .when {
  text-decoration: none;
}
.none {
  padding: 4px 0;
}
</style>
