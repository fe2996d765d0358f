<script setup lang="ts">
import { useTemplateRef, watch } from "vue";
import type { KeptField } from "./keeping";

/** What keeps a text from being kept: a reason, or another text that somebody else has written meanwhile, to choose from. */
const props = defineProps<{ field: KeptField; id?: string }>();
const both = useTemplateRef<HTMLElement>("both");
// It is below what is being written, and must be seen.
watch(
  () => props.field.state.value,
  () => both.value?.scrollIntoView({ block: "nearest" }),
  { flush: "post" },
);
</script>

<template>
  <p
    v-if="field.problem.value"
    :id="id"
    class="kept-note"
    :class="{ alarm: field.state.value === 'refused' }"
    role="alert"
  >
    {{ field.problem.value }}
  </p>
  <div v-if="field.state.value === 'both'" ref="both" class="kept-note both" role="alert">
    <p>{{ field.keeps.name }} was changed elsewhere while you wrote. Yours stands above; this is the other one:</p>
    <blockquote>{{ field.theirs.value || "(nothing)" }}</blockquote>
    <button class="plain-button" @click="field.keepMine()">Keep mine</button>
    <button class="plain-button" @click="field.keepTheirs()">Take the other</button>
  </div>
</template>

<style scoped>
.kept-note {
  margin: 2px 0 6px;
}
.both p {
  margin: 0;
}
blockquote {
  max-height: 180px;
  margin: 6px 0;
  padding: 6px 10px;
  overflow: auto;
  border-left: 3px solid var(--alarm);
  background: var(--paper);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
button + button {
  margin-left: 6px;
}
</style>
