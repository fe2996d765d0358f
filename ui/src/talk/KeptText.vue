<script setup lang="ts">
import type { KeptField } from "./keeping";
import BothTexts from "./BothTexts.vue";

/** A named text that keeps itself when it is left or confirmed, with what is wrong with it under it. */
defineProps<{
  id: string;
  label: string;
  field: KeptField;
  most: number;
  /** A text of several lines. */
  rows?: number;
  placeholder?: string;
}>();
</script>

<template>
  <label :for="id">{{ label }}</label>
  <textarea
    v-if="rows"
    :id="id"
    class="text-field"
    :rows="rows"
    :maxlength="most"
    :value="field.value.value"
    :placeholder="placeholder"
    :aria-invalid="field.state.value === 'refused' || undefined"
    :aria-describedby="field.problem.value ? `${id}-note` : undefined"
    @input="field.type(($event.target as HTMLTextAreaElement).value)"
    @blur="field.keep()"
  ></textarea>
  <input
    v-else
    :id="id"
    class="text-field"
    :maxlength="most"
    :value="field.value.value"
    :placeholder="placeholder"
    :aria-invalid="field.state.value === 'refused' || undefined"
    :aria-describedby="field.problem.value ? `${id}-note` : undefined"
    spellcheck="false"
    autocomplete="off"
    @input="field.type(($event.target as HTMLInputElement).value)"
    @blur="field.keep()"
    @keydown.enter="field.keep()"
  />
  <BothTexts :id="`${id}-note`" :field="field" />
</template>
