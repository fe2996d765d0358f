<script setup lang="ts">
import type { Schema } from "../api/client";

/** The shows, of which one is looked at. */
defineProps<{
  shows: Schema["Show"][] | undefined;
  current: string | undefined;
  /** One may begin another. */ begins: boolean;
}>();
const emit = defineEmits<{ new: [] }>();
</script>

<template>
  <nav aria-label="Shows">
    <h2>Shows</h2>
    <router-link
      v-for="s in shows"
      :key="s.id"
      :to="`/shows/${s.id}`"
      class="show"
      :class="{ current: s.id === current }"
      :aria-current="s.id === current ? 'page' : undefined"
    >
      <span class="name cut" :title="s.name">{{ s.name }}</span>
      <span class="soft">{{ s.episodes === 1 ? "1 episode" : `${s.episodes} episodes` }}</span>
    </router-link>
    <button v-if="begins" class="plain-button new-show" @click="emit('new')">New show</button>
  </nav>
</template>

<style scoped>
nav {
  padding: 20px 18px;
  background: var(--sheet);
  border-right: 1px solid var(--rule-strong);
  overflow-y: auto;
}
nav h2 {
  margin: 0 10px 8px;
  font-size: var(--type-small);
  font-weight: 400;
  color: var(--ink-soft);
}
.show {
  display: grid;
  padding: 8px 10px;
  margin-bottom: 6px;
  border-left: 3px solid transparent;
  border-radius: var(--radius);
  color: inherit;
  text-decoration: none;
  font-size: var(--type-small);
}
.show.current {
  border-left-color: var(--ink);
  background: var(--paper);
}
.show .name {
  font-size: var(--type-body);
  font-weight: 700;
}
nav .plain-button {
  margin: 10px;
}
@media (max-width: 760px) {
  nav {
    padding: 10px 8px;
    border-right: 0;
    border-bottom: 1px solid var(--rule-strong);
  }
}
</style>
