<script setup lang="ts">
import { Check, Copy } from "lucide-vue-next";
import { ref } from "vue";
import { api, type Schema } from "../../api/client";
import { useSession } from "../../stores/session";
import { useAsked } from "../../talk/asked";
import { useSounds } from "../../stores/sounds";

type Form = "text" | "markdown" | "html";

const session = useSession();
const sounds = useSounds();
const fault = ref("");
const copied = ref<Form>();
const forms: { key: Form; name: string }[] = [
  { key: "text", name: "Text" },
  { key: "markdown", name: "Markdown" },
  { key: "html", name: "HTML" },
];

const { answer: list, problem } = useAsked<Schema["List"]>({
  when: () => [session.version, sounds.list],
  rest: 400,
  ask: (signal) =>
    session.open &&
    api.GET("/episodes/{episode}/credits", { params: { path: { episode: session.open.episode } }, signal }),
});

async function copy(form: Form): Promise<void> {
  if (!list.value) return;
  try {
    await navigator.clipboard.writeText(list.value[form]);
    copied.value = form;
    window.setTimeout(() => (copied.value = undefined), 2000);
  } catch {
    fault.value = "The browser does not let this page copy. Mark the lines below and copy them by hand.";
  }
}
</script>

<template>
  <p v-if="fault || problem" class="alarm" role="alert">{{ fault || problem }}</p>
  <template v-if="list && list.entries.length > 0">
    <p class="soft">To be named wherever the episode is published. Copy the list as:</p>
    <div class="copy">
      <button
        v-for="f in forms"
        :key="f.key"
        class="plain-button"
        :aria-label="`Copy as ${f.name}`"
        @click="copy(f.key)"
      >
        <component :is="copied === f.key ? Check : Copy" :size="13" />{{ f.name }}
      </button>
      <span class="visually-hidden" role="status">{{ copied ? "Copied" : "" }}</span>
    </div>
    <p v-if="!list.complete" class="alarm" role="status">
      Something is missing for {{ list.entries.filter((e) => e.missing.length > 0).length }} of
      {{ list.entries.length }}. Open the sound under Sounds and fill it in.
    </p>
    <ul class="plain-list">
      <li v-for="e in list.entries" :key="e.sound">
        <strong>“{{ e.title }}”</strong><template v-if="e.author"> by {{ e.author }}</template>
        <p class="soft">
          {{ e.licence || "no licence" }}<template v-if="e.source"> · {{ e.source }}</template>
        </p>
        <p v-if="e.missing.length > 0" class="alarm">Missing: {{ e.missing.join(", ") }}</p>
        <p v-else-if="e.demands" class="soft demands">{{ e.demands }}</p>
      </li>
    </ul>
  </template>
  <p v-else-if="list" class="soft none">
    Nothing in this episode has to be named: it uses no music or effects of others.
  </p>
</template>

<style scoped>
.copy {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 10px 0;
}
li {
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-text);
  overflow-wrap: anywhere;
}
.demands {
  font-size: var(--type-small);
}
.none {
  padding: 14px 0;
  text-align: center;
}
</style>
