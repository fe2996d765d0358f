<script setup lang="ts">
import { ref } from "vue";
import type { Part } from "../../api/client";
import { useSession } from "../../stores/session";
import { goOn } from "../../talk/focus";

const session = useSession();
const open = ref(false);
const parts: { part: Part; name: string }[] = [
  { part: "voice", name: "for voice" },
  { part: "music", name: "for music" },
  { part: "effect", name: "for effects" },
];

function add(part: Part): void {
  open.value = false;
  const known = new Set(session.document?.tracks.map((t) => t.id));
  void session.edit({ type: "add-track", part });
  // On with the track that came to be.
  goOn(() => {
    const fresh = session.document?.tracks.find((t) => !known.has(t.id));
    return fresh && document.querySelector<HTMLElement>(`[data-stop="track:${fresh.id}"]`);
  });
}
</script>

<template>
  <div class="add" role="row" data-row="add" aria-label="Further tracks">
    <div role="gridcell" class="cell">
      <button class="plain-button" data-stop="add" :aria-expanded="open" @click="open = !open">Add a track</button>
    </div>
    <template v-if="open">
      <div v-for="p in parts" :key="p.part" role="gridcell" class="cell">
        <button class="plain-button" :data-stop="`add:${p.part}`" @click="add(p.part)">{{ p.name }}</button>
      </div>
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
