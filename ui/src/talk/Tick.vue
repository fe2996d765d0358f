<script setup lang="ts">
import { nextTick, useTemplateRef } from "vue";

/** A checkbox that shows what is, also when what it was to set has been refused. */
const props = defineProps<{ on: boolean; set: (on: boolean) => unknown; disabled?: boolean }>();
const box = useTemplateRef<HTMLInputElement>("box");

async function change(): Promise<void> {
  await props.set(box.value!.checked);
  await nextTick();
  if (box.value) box.value.checked = props.on;
}
</script>

<template>
  <input ref="box" type="checkbox" :checked="on" :disabled="disabled" @change="change" />
</template>
