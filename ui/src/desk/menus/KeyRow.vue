<script setup lang="ts">
import { computed, ref } from "vue";
import type { Act } from "../acts/lists/act";
import { isSign, keyOf, shownKey, useKeymap } from "./keymap";

/** An act with its key, which can be changed. */
const props = defineProps<{ act: Act; all: Act[] }>();
const emit = defineEmits<{ said: [text: string] }>();
const { kept, chosenFor, give } = useKeymap();
/** The next key that is pressed becomes its own. */
const asking = ref(false);
const shown = computed(() => shownKey(chosenFor(props.act)[0] ?? ""));
const sleeps = computed(() => !kept.value.letters && isSign(chosenFor(props.act)[0] ?? ""));

function press(event: KeyboardEvent): void {
  if (!asking.value || event.key === "Tab") return;
  event.preventDefault();
  event.stopPropagation();
  if (event.key === "Escape") {
    asking.value = false;
    return;
  }
  const key = keyOf(event);
  if (!key) return;
  asking.value = false;
  const had = give(props.act, key, props.all);
  const name = shownKey(key);
  emit("said", had ? `${name} was “${had.name}”, which has no key of its own now.` : `${name}: ${props.act.name}.`);
}
</script>

<template>
  <div class="key-row">
    <dt>
      <button
        class="figures"
        :class="{ asking, sleeps }"
        :aria-label="`Key of “${act.name}”: ${shown || 'none'}. Change it`"
        :title="sleeps ? 'Letters, digits and signs do not act now' : 'Change it'"
        @click="asking = !asking"
        @keydown="press"
        @blur="asking = false"
      >
        {{ asking ? "press it…" : shown || "–" }}
      </button>
    </dt>
    <dd>{{ act.name }}</dd>
  </div>
</template>

<style scoped>
.key-row {
  display: flex;
  align-items: baseline;
  gap: 10px;
  padding: 2px 0;
}
dt {
  flex: none;
  width: 112px;
}
button {
  max-width: 100%;
  padding: 1px 6px;
  border: 1px solid var(--rule);
  border-radius: var(--radius-small);
  background: none;
  font-weight: 600;
  cursor: pointer;
}
button:hover,
.asking {
  border-color: var(--ink);
}
.sleeps {
  color: var(--ink-soft);
  text-decoration: line-through;
}
dd {
  margin: 0;
}
</style>
