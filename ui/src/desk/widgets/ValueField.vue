<script setup lang="ts">
import { ref } from "vue";

/** A number that can be typed, in whatever form its parser reads. */
const props = defineProps<{
  value: number;
  text: string;
  parse: (text: string) => number | undefined;
  label: string;
}>();
const emit = defineEmits<{ change: [value: number] }>();
const typed = ref<string>();

function keep(): void {
  if (typed.value === undefined) return;
  const value = props.parse(typed.value);
  typed.value = undefined;
  if (value !== undefined && value !== props.value) emit("change", value);
}
</script>

<template>
  <input
    class="figures"
    :value="typed ?? text"
    :aria-label="label"
    spellcheck="false"
    autocomplete="off"
    @focus="($event.target as HTMLInputElement).select()"
    @input="typed = ($event.target as HTMLInputElement).value"
    @keydown.enter="($event.target as HTMLInputElement).blur()"
    @keydown.escape="typed = undefined"
    @blur="keep"
  />
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
</style>
