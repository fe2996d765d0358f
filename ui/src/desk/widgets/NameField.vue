<script setup lang="ts">
import { onMounted, ref, useTemplateRef } from "vue";

/** A name while it is written: Enter and leaving the field keep it, Esc leaves it as it was. */
const props = defineProps<{ name: string; label: string }>();
const emit = defineEmits<{ done: [name: string | undefined, byKey: boolean] }>();
const typed = ref(props.name);
const field = useTemplateRef<HTMLInputElement>("field");
let ended = false;

onMounted(() => {
  field.value?.focus();
  field.value?.select();
});

function end(name: string | undefined, byKey: boolean): void {
  if (ended) return;
  ended = true;
  emit("done", name, byKey);
}
</script>

<template>
  <input
    ref="field"
    v-model="typed"
    class="text-field name-field"
    maxlength="200"
    :aria-label="label"
    spellcheck="false"
    autocomplete="off"
    @pointerdown.stop
    @keydown.enter.prevent.stop="end(typed, true)"
    @keydown.escape.prevent.stop="end(undefined, true)"
    @blur="end(typed, false)"
  />
</template>

<style scoped>
.name-field {
  flex: 1;
  padding: 0 4px;
  font: inherit;
  user-select: text;
}
</style>
