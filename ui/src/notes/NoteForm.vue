<script setup lang="ts">
import { ref, useTemplateRef } from "vue";
import type { Refusal } from "../api/client";

/** Where a note is written, or an answer to one. */
const props = defineProps<{
  /** What is to be written, for those who cannot see it. */
  label: string;
  verb: string;
  /** What stands there already. */
  words?: string;
  keep: (words: string) => Promise<unknown>;
}>();
const emit = defineEmits<{ kept: []; left: [] }>();
const words = ref(props.words ?? "");
const problem = ref("");
const keeping = ref(false);
const field = useTemplateRef<HTMLTextAreaElement>("field");
defineExpose({ focus: () => field.value?.focus() });

async function send(): Promise<void> {
  if (!words.value.trim() || keeping.value) return;
  keeping.value = true;
  problem.value = "";
  try {
    await props.keep(words.value);
    words.value = "";
    emit("kept");
  } catch (error) {
    problem.value = (error as Refusal).message; // what was written stays
  } finally {
    keeping.value = false;
  }
}
</script>

<template>
  <form class="write" @submit.prevent="send">
    <textarea
      ref="field"
      v-model="words"
      class="text-field"
      rows="2"
      :aria-label="label"
      :placeholder="label"
      @keydown.enter.ctrl.prevent="send"
      @keydown.enter.meta.prevent="send"
      @keydown.esc.stop="emit('left')"
    ></textarea>
    <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
    <button class="plain-button" type="submit" :disabled="!words.trim() || keeping">{{ verb }}</button>
  </form>
</template>

<style scoped>
.write {
  display: grid;
  gap: 6px;
  justify-items: start;
}
</style>
