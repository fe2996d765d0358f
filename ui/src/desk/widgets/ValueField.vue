<script setup lang="ts">
import { computed, nextTick, ref, useId, useTemplateRef } from "vue";

/** A number that can be typed, in whatever form its parser reads. What cannot be read is said beside it, and stays to be mended. */
defineOptions({ inheritAttrs: false }); // what hangs in the page is no part of it
const props = defineProps<{
  value: number;
  text: string;
  parse: (text: string) => number | undefined;
  label: string;
}>();
const emit = defineEmits<{ change: [value: number] }>();
const typed = ref<string>();
const wrong = ref(false);
const field = useTemplateRef<HTMLInputElement>("field");
const id = useId();
const told = computed(() => `“${typed.value}” cannot be read. Type it like ${props.text || "−6 dB"}, or Esc.`);
/** It hangs in the page, over what would cut it off in a panel that scrolls. */
const place = ref({ right: "0", top: "0" });

function take(): boolean {
  if (typed.value === undefined) return true;
  const value = props.parse(typed.value);
  wrong.value = value === undefined;
  if (value === undefined) {
    const box = field.value!.getBoundingClientRect();
    place.value = { right: `${Math.max(8, window.innerWidth - box.right)}px`, top: `${box.bottom + 3}px` };
    return false;
  }
  typed.value = undefined;
  if (value !== props.value) emit("change", value);
  return true;
}

/** Taken with Enter it keeps the focus, and the other keys are those of the desk again; Enter or F2 types it once more. */
const settled = ref(false);

function enter(event: KeyboardEvent): void {
  event.preventDefault();
  event.stopPropagation();
  if (settled.value) again();
  else if (take()) settled.value = true;
}

function again(): void {
  settled.value = false;
  void nextTick(() => field.value?.select());
}

function leave(event: KeyboardEvent): void {
  if (typed.value === undefined) return;
  event.preventDefault();
  event.stopPropagation();
  typed.value = undefined;
  wrong.value = false;
}
</script>

<template>
  <input
    v-bind="$attrs"
    ref="field"
    class="figures value-field"
    :value="typed ?? text"
    :aria-label="label"
    :aria-invalid="wrong || undefined"
    :aria-describedby="wrong ? id : undefined"
    spellcheck="false"
    autocomplete="off"
    :readonly="settled"
    :aria-readonly="false"
    @focus="typed === undefined && ($event.target as HTMLInputElement).select()"
    @input="
      typed = ($event.target as HTMLInputElement).value;
      wrong = false;
    "
    @pointerdown="settled = false"
    @keydown.enter="enter"
    @keydown.f2="again"
    @keydown.escape="leave"
    @blur="
      take();
      settled = false;
    "
  />
  <Teleport to="body">
    <span v-if="wrong" :id="id" class="not-read" role="alert" :style="place">{{ told }}</span>
  </Teleport>
</template>

<style scoped>
input {
  width: 100%;
  min-width: 0;
  padding: 1px 3px;
  border: 1px solid transparent;
  border-radius: var(--radius-small);
  background: none;
  color: inherit;
  font-size: var(--type-small);
  text-align: right;
}
input:hover,
input:focus {
  border-color: var(--rule-strong);
  background: var(--sheet);
}
input[aria-invalid] {
  border-color: var(--alarm);
}
.not-read {
  position: fixed;
  z-index: 30;
  max-width: 260px;
  padding: 3px 8px;
  border: 1px solid var(--alarm);
  border-radius: var(--radius-button);
  background: var(--sheet);
  color: var(--alarm);
  font-size: var(--type-small);
}
</style>
