<script setup lang="ts">
import { useTemplateRef } from "vue";
import { api, ask, type Refusal } from "../../api/client";
import { useSession } from "../../stores/session";
import { tell } from "../../talk/tell";

/** Markers go out as lists that others read, and come in from such lists. */
defineProps<{ some: boolean; chapters: boolean }>();
const session = useSession();
const input = useTemplateRef<HTMLInputElement>("input");
const FORMS = [
  { list: "markers.csv", name: "table (CSV)", chapters: false },
  { list: "markers.vtt", name: "WebVTT", chapters: false },
  { list: "chapters.txt", name: "chapters as text", chapters: true },
  { list: "chapters.json", name: "chapters as JSON", chapters: true },
];

async function takeIn(): Promise<void> {
  const file = input.value?.files?.[0];
  if (!file) return;
  try {
    const read = await ask(api.POST("/markers/read", { body: { text: await file.text() } }));
    await session.edit(read.op as Parameters<typeof session.edit>[0]);
  } catch (error) {
    tell(`${file.name}: ${(error as Refusal).message}`);
  }
  input.value!.value = "";
}
</script>

<template>
  <div class="lists">
    <p v-if="some" class="soft">
      Download as
      <template v-for="f in FORMS" :key="f.list">
        <a v-if="!f.chapters || chapters" :href="`/api/episodes/${session.episode?.id}/lists/${f.list}`" download>{{
          f.name
        }}</a>
      </template>
    </p>
    <button class="plain-button" @click="input?.click()">Take in a list…</button>
    <input
      ref="input"
      class="visually-hidden"
      type="file"
      accept=".csv,.vtt,.tsv,.txt,text/csv,text/vtt"
      tabindex="-1"
      aria-hidden="true"
      aria-label="List of markers"
      @change="takeIn"
    />
  </div>
</template>

<style scoped>
.lists {
  margin-top: 12px;
  font-size: var(--type-hint);
}
.lists p {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  margin-bottom: 8px;
}
.lists a {
  color: inherit;
}
</style>
