<script setup lang="ts">
import { LayoutTemplate, Trash2 } from "lucide-vue-next";
import { computed, onBeforeUnmount, onMounted, ref } from "vue";
import { api, ask, type Schema } from "../api/client";
import { figure, SILENCE, timeText, whenText } from "../model/units";
import { wayTo, type Role } from "../people/roles";
import Silhouette from "./Silhouette.vue";

const props = defineProps<{
  episode: Schema["Episode"];
  /** What one is in its show, where there are several people. */ role?: Role;
}>();
defineEmits<{ remove: []; keep: [] }>();
const outline = ref<Schema["Silhouette"]>();
const loudness = ref(props.episode.loudness?.integrated);
/** Milliseconds after which it is looked whether the loudness has been measured. */
const LOOK_AGAIN = 1000;
let gone = false;
const owning = computed(() => !props.role || props.role === "owner");
const empty = computed(() => props.episode.length === 0);

onMounted(async () => {
  const params = { path: { episode: props.episode.id } };
  if (empty.value || props.role === "reader") return;
  try {
    outline.value = await ask(
      api.GET("/episodes/{episode}/silhouette", { params: { ...params, query: { columns: 250 } } }),
    );
    while (props.role !== "listener" && loudness.value === undefined && !gone) {
      const now = await ask(api.GET("/episodes/{episode}/loudness", { params }));
      if (!now.measuring) loudness.value = now.loudness?.integrated ?? SILENCE;
      else await new Promise((r) => setTimeout(r, LOOK_AGAIN));
    }
  } catch {
    loudness.value = SILENCE; // the row stays usable; opening the episode says what is wrong
  }
});
onBeforeUnmount(() => (gone = true));
</script>

<template>
  <li>
    <router-link :to="wayTo(episode.id, role)" class="row">
      <span class="number figures">{{ episode.number }}</span>
      <span class="what">
        <span class="name cut" :title="episode.title">{{ episode.title }}</span>
        <span class="soft">changed {{ whenText(episode.changed) }}</span>
      </span>
      <Silhouette :outline="outline" :width="250" :height="36" />
      <span class="figures">{{ empty ? "empty" : timeText(episode.length, 0) }}</span>
      <span class="figures loudness">
        <template v-if="loudness !== undefined">{{
          loudness > SILENCE ? `${figure(loudness)} LUFS` : "silent"
        }}</template>
        <template v-else-if="!empty && (!role || role === 'owner' || role === 'producer')">measuring…</template>
      </span>
      <span class="state" :class="{ done: episode.mixdowns > 0 }">{{ episode.mixdowns > 0 ? "Mixed down" : "" }}</span>
    </router-link>
    <button
      v-if="!empty && owning"
      class="remove"
      :aria-label="`Save the layout of ${episode.title} as house sound`"
      title="Save its layout as house sound: music and settings stay, what was said becomes empty places"
      @click="$emit('keep')"
    >
      <LayoutTemplate :size="16" />
    </button>
    <button
      v-if="owning"
      class="remove"
      :aria-label="`Remove ${episode.title}`"
      title="Remove the episode"
      @click="$emit('remove')"
    >
      <Trash2 :size="16" />
    </button>
  </li>
</template>

<style scoped>
li {
  display: flex;
  align-items: center;
  border-bottom: 1px solid var(--rule);
}
.row {
  flex: 1;
  min-width: 0;
  display: grid;
  grid-template-columns: 44px minmax(120px, 1fr) 250px 70px 110px 92px;
  gap: 16px;
  align-items: center;
  padding: 14px 8px;
  color: inherit;
  text-decoration: none;
}
@media (max-width: 1000px) {
  .row {
    grid-template-columns: 34px minmax(0, 1fr) auto;
    gap: 4px 10px;
  }
  .row > :nth-child(n + 3) {
    grid-column-start: 2;
  }
  .row > :nth-child(4) {
    grid-column: 3;
    grid-row: 1;
  }
}
.row:hover {
  background: var(--sheet);
}
.number {
  font-size: var(--type-clock);
  font-weight: 600;
  color: var(--ink-soft);
}
.what {
  display: grid;
  min-width: 0;
  font-size: var(--type-small);
}
.name {
  font-size: var(--type-lead);
  font-weight: 700;
}
.figures {
  font-weight: 600;
}
.loudness {
  white-space: nowrap;
}
.state.done {
  padding: 2px 10px;
  border: 1px solid var(--voice);
  border-radius: var(--radius-large);
  color: var(--voice);
  font-size: var(--type-small);
  justify-self: start;
  white-space: nowrap;
}
.remove {
  padding: 8px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}
</style>
