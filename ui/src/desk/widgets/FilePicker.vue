<script setup lang="ts">
import { onMounted, useTemplateRef } from "vue";
import { useDeskContext } from "../state/context";

/** The browser's own dialog to choose files with. */
const emit = defineEmits<{ chosen: [files: File[], at: { start: number; track?: string } | undefined] }>();
const desk = useDeskContext();
const input = useTemplateRef<HTMLInputElement>("input");

let place: { start: number; track?: string } | undefined;

onMounted(() => {
  desk.chooseFiles.value = (at) => {
    place = at;
    input.value?.click();
  };
});

function choose(): void {
  emit("chosen", [...(input.value?.files ?? [])], place);
  input.value!.value = "";
}
</script>

<template>
  <input
    ref="input"
    class="visually-hidden"
    type="file"
    multiple
    accept="audio/*,.wav,.aif,.aiff,.flac,.mp3,.m4a,.aac,.ogg,.oga,.opus,.zip"
    tabindex="-1"
    aria-hidden="true"
    aria-label="Files to import"
    data-files
    @change="choose"
  />
</template>
