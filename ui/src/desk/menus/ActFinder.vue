<script setup lang="ts">
import { ElDialog } from "element-plus";
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";
import { useDeskContext } from "../state/context";
import { useKeymap } from "./keymap";
import type { Act } from "../acts/lists/act";
import { actList } from "../acts/lists/list";

/** One field that finds any act by words and does it. What cannot be done now says why. */
const MOST = 12;
const desk = useDeskContext();
const acts = actList(desk);
const { shownFor } = useKeymap();
const words = ref("");
const at = ref(0);
const list = useTemplateRef<HTMLElement>("list");
const field = useTemplateRef<HTMLInputElement>("field");

/** How well an act answers to what was typed: 0 not at all. */
function worth(act: Act, typed: string[]): number {
  const name = act.name.toLowerCase();
  const all = `${name} ${act.words ?? ""} ${act.group.toLowerCase()} ${shownFor(act).toLowerCase()}`;
  if (!typed.every((w) => all.includes(w))) return 0;
  const begins = (text: string, w: string) => text.split(/[^\p{L}\p{N}]+/u).some((part) => part.startsWith(w));
  let sum = 1;
  for (const [i, w] of typed.entries()) {
    if (i === 0 && name.startsWith(w)) sum += 8;
    if (begins(name, w)) sum += 4;
    else if (begins(act.words ?? "", w)) sum += 2;
  }
  return sum;
}

const found = computed(() => {
  const typed = words.value.toLowerCase().split(/\s+/).filter(Boolean);
  const all = acts
    .filter((a) => a.id !== "find" && (typed.length > 0 || a.first))
    .map((act) => ({ act, worth: worth(act, typed) }))
    .filter((f) => f.worth > 0);
  if (typed.length > 0) all.sort((a, b) => b.worth - a.worth);
  return all.slice(0, MOST).map(({ act }) => ({ act, keys: shownFor(act), why: desk.finder.value && act.off?.() }));
});

watch(words, () => (at.value = 0));
watch(
  () => desk.finder.value,
  () => {
    words.value = "";
    at.value = 0;
  },
);

function step(by: number): void {
  const many = found.value.length;
  if (many > 0) at.value = (at.value + by + many) % many;
  void nextTick(() => list.value?.querySelector('[aria-selected="true"]')?.scrollIntoView({ block: "nearest" }));
}

/** What was found and is done when the field is gone: the focus is back where it was then, and the act may lead it on. */
let meant: Act | undefined;

function carryOut(place = at.value): void {
  const one = found.value[place];
  if (!one || one.why) return;
  meant = one.act;
  desk.finder.value = false;
}

function closed(): void {
  const act = meant;
  meant = undefined;
  act?.run();
}

function key(event: KeyboardEvent): void {
  if (event.key === "ArrowDown") step(1);
  else if (event.key === "ArrowUp") step(-1);
  else if (event.key === "Enter") carryOut();
  else return;
  event.preventDefault();
}
</script>

<template>
  <el-dialog
    v-model="desk.finder.value"
    class="finder"
    width="540"
    top="12vh"
    :show-close="false"
    title="Find an act"
    modal-class="at-once"
    @opened="field?.focus()"
    @closed="closed"
  >
    <input
      ref="field"
      v-model="words"
      class="text-field"
      role="combobox"
      aria-expanded="true"
      aria-controls="found-acts"
      :aria-activedescendant="found[at] ? `act-${found[at]?.act.id}` : undefined"
      aria-label="What do you want to do?"
      placeholder="What do you want to do? Split, close gap, compare…"
      spellcheck="false"
      autocomplete="off"
      @keydown="key"
    />
    <ul id="found-acts" ref="list" role="listbox" aria-label="Acts">
      <li
        v-for="(f, i) in found"
        :id="`act-${f.act.id}`"
        :key="f.act.id"
        role="option"
        :aria-selected="i === at"
        :aria-disabled="f.why ? true : undefined"
        @pointermove="at = i"
        @click="carryOut(i)"
      >
        <span class="what"
          >{{ f.act.name }}<small v-if="f.why">{{ f.why }}</small></span
        >
        <kbd class="figures">{{ f.keys }}</kbd>
      </li>
      <li v-if="found.length === 0" class="soft nothing">Nothing on the desk answers to that. Try another word.</li>
    </ul>
  </el-dialog>
</template>

<style scoped>
ul {
  max-height: 56vh;
  margin: 8px 0 0;
  padding: 0;
  overflow: auto;
  list-style: none;
}
li[role="option"] {
  display: flex;
  align-items: baseline;
  justify-content: space-between;
  gap: 16px;
  padding: 5px 9px;
  border-radius: var(--radius-button);
  cursor: pointer;
}
li[aria-selected="true"] {
  background: var(--rule);
}
li[aria-disabled] {
  color: var(--ink-soft);
  cursor: default;
}
small {
  display: block;
  font-size: var(--type-small);
}
kbd {
  flex: none;
  color: var(--ink-soft);
  font-size: var(--type-small);
}
</style>
