<script setup lang="ts">
import { Eye, Play, Square, Wrench } from "lucide-vue-next";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import type { Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { timeText } from "../../model/units";
import { useCheck } from "../../stores/check";
import { useSession } from "../../stores/session";
import { useFindings, usePreview } from "../../desk/acts/findings";

/** One finding: what is wrong, why that matters, and what would mend it, heard before it is done. */
const props = defineProps<{ finding: Schema["Finding"] }>();
const session = useSession();
const desk = useDeskContext();
const check = useCheck();
const { show, hear, tried, ways } = useFindings(desk);
const way = computed(() => ways[props.finding.kind]);
const asking = ref(false);
const reason = ref("");
const busy = ref(false);

const open = computed(() => check.chosen === props.finding.key);
const placed = computed(() => props.finding.to > props.finding.from);
/** It is shown on the timeline as it would be. */
const shown = ref(false);
const { preview, end } = usePreview(desk);
watch([open, shown, () => props.finding], ([isOpen, isShown]) => {
  if (isOpen && isShown) void preview(props.finding);
  else if (isShown) shown.value = false;
});
watch(shown, (now) => now || end());
onBeforeUnmount(() => shown.value && end());
const address = computed(() => (open.value ? tried(props.finding) : ""));
type Act = Parameters<typeof session.edit>[0];

function toggle(): void {
  if (open.value) check.chosen = "";
  else show(props.finding);
}

async function mend(): Promise<void> {
  if (!props.finding.fix) return;
  busy.value = true;
  desk.hearing.stop();
  await session.edit(props.finding.fix.op as Act);
  busy.value = false;
}

async function putAside(): Promise<void> {
  const { key, name, by } = props.finding;
  const done = await session.edit({ type: "set-aside", findings: [{ key, name, by }], reason: reason.value.trim() });
  if (done) asking.value = false;
}
</script>

<template>
  <li :class="{ open }" :data-kind="finding.kind">
    <button class="head" :aria-expanded="open" @click="toggle">
      <span v-if="placed" class="figures at">{{ timeText(finding.from, 1) }}</span>
      <span v-else class="figures at soft">show</span>
      <span class="name">{{ finding.name }}</span>
    </button>
    <p class="text">{{ finding.text }}</p>
    <template v-if="open">
      <p class="soft">{{ finding.why }}</p>
      <p v-if="finding.reason" class="soft">Set aside: {{ finding.reason }}</p>
      <p v-if="finding.fix && !finding.aside" class="fix">
        <Wrench :size="13" aria-hidden="true" /> {{ finding.fix.text }}
      </p>
      <div class="acts">
        <button v-if="placed" class="plain-button" @click="hear(finding)">
          <Play :size="12" aria-hidden="true" /> Hear it
        </button>
        <template v-if="finding.fix && !finding.aside">
          <button class="plain-button" :aria-pressed="shown" @click="shown = !shown">
            <Eye :size="12" aria-hidden="true" /> Show
          </button>
          <button class="plain-button" @click="desk.hearing.toggle(address)">
            <component :is="desk.hearing.state.address === address ? Square : Play" :size="12" aria-hidden="true" />
            Hear it mended
          </button>
          <button class="plain-button filled" :disabled="busy" @click="mend">{{ finding.fix.do }}</button>
        </template>
        <button v-if="way && !finding.aside" class="plain-button filled" @click="way.go">{{ way.name }}</button>
        <button
          v-if="finding.aside"
          class="plain-button"
          @click="session.edit({ type: 'take-up', findings: [finding.key] })"
        >
          Take it up again
        </button>
        <button v-else-if="!asking" class="plain-button" @click="asking = true">Set aside…</button>
      </div>
      <form v-if="asking && !finding.aside" class="aside" @submit.prevent="putAside">
        <input
          v-model="reason"
          class="text-field"
          maxlength="500"
          autofocus
          aria-label="Why it can stay"
          placeholder="Why it can stay"
        />
        <button class="plain-button" type="submit" :disabled="reason.trim() === ''">Set aside</button>
      </form>
    </template>
  </li>
</template>

<style scoped>
li {
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-hint);
}
li.open {
  margin: 0 -8px;
  padding: 6px 8px;
  background: var(--paper);
}
.head {
  display: flex;
  gap: 8px;
  width: 100%;
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  text-align: left;
  cursor: pointer;
}
.at {
  min-width: 50px;
  font-size: var(--type-small);
}
.name {
  font-weight: 700;
}
.text,
.fix {
  margin: 2px 0;
}
.fix {
  padding: 4px 6px;
  border-left: 3px solid var(--voice);
  background: var(--voice-wash);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 6px;
}
.acts button,
.aside button {
  padding: 3px 8px;
  font-size: var(--type-small);
}
.acts [aria-pressed="true"] {
  border-color: var(--ink);
  background: var(--rule);
}
.aside {
  display: flex;
  gap: 6px;
  margin-top: 6px;
}
.aside input {
  flex: 1;
}
</style>
