<script setup lang="ts">
import { ref } from "vue";
import type { Part } from "../../api/client";
import { useSession } from "../../stores/session";

const session = useSession();
const open = ref(false);
const parts: { part: Part; name: string }[] = [
  { part: "voice", name: "for voice" },
  { part: "music", name: "for music" },
  { part: "effect", name: "for effects" },
];

function add(part: Part): void {
  open.value = false;
  void session.edit({ type: "add-track", part });
}
</script>

<template>
  <div class="add">
    <button class="plain-button" :aria-expanded="open" @click="open = !open">Add a track</button>
    <template v-if="open">
      <button v-for="p in parts" :key="p.part" class="plain-button" @click="add(p.part)">{{ p.name }}</button>
    </template>
  </div>
</template>

<style scoped>
.add {
  display: flex;
  gap: 6px;
  padding: 8px 18px;
  font-size: var(--type-text);
}
</style>
