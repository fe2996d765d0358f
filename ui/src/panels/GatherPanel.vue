<script setup lang="ts">
import { ElInput } from "element-plus";
import { computed, onBeforeUnmount, ref, useTemplateRef } from "vue";
import { useDeskContext } from "../desk/context";
import { useDesk } from "../stores/desk";
import { useUploads } from "../stores/uploads";
import ProgressRow from "./ProgressRow.vue";
import SoundRow from "./SoundRow.vue";

const store = useDesk();
const desk = useDeskContext();
const uploads = useUploads();
const picker = useTemplateRef<HTMLInputElement>("picker");
const search = ref("");
const audio = new Audio();
const hearing = ref("");

const found = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  return store.sounds.filter((s) =>
    words.every((w) => `${s.name} ${s.part} ${s.title} ${s.author}`.toLowerCase().includes(w)),
  );
});
const imports = computed(() =>
  Object.values(store.jobs).filter((j) => j.kind === "import" && j.state !== "done" && j.state !== "cancelled"),
);

function choose(event: Event): void {
  const input = event.target as HTMLInputElement;
  if (store.episode && input.files) uploads.add(store.episode.show, [...input.files]);
  input.value = "";
}

function hear(id: string): void {
  if (hearing.value === id) {
    audio.pause();
    hearing.value = "";
    return;
  }
  desk.player.pause();
  audio.src = `/api/sounds/${id}/audio`;
  hearing.value = id;
  void audio.play().catch(() => (hearing.value = ""));
}
audio.onended = () => (hearing.value = "");
onBeforeUnmount(() => audio.pause());
</script>

<template>
  <h2>Gather</h2>
  <button class="drop" @click="picker?.click()">
    Drop recordings or music anywhere<br /><strong>or choose files</strong>
  </button>
  <input
    ref="picker"
    class="visually-hidden"
    type="file"
    multiple
    accept="audio/*,.wav,.aif,.aiff,.flac,.mp3,.m4a,.aac,.ogg,.oga,.opus"
    tabindex="-1"
    aria-label="Files to import"
    @change="choose"
  />
  <div aria-live="polite">
    <ProgressRow
      v-for="u in uploads.list"
      :key="u.key"
      :name="u.name"
      :doing="u.sent < u.size ? 'Sending' : 'Arriving'"
      :progress="u.size ? u.sent / u.size : 0"
      :left="u.left"
      :problem="u.problem"
      @stop="uploads.remove(u.key)"
    />
    <ProgressRow
      v-for="j in imports"
      :key="j.id"
      :name="j.name"
      :doing="j.state === 'queued' ? 'Waiting' : 'Reading'"
      :progress="j.progress"
      :left="j.left"
      :problem="j.problem?.message ?? ''"
      @stop="j.state === 'failed' ? delete store.jobs[j.id] : uploads.cancelJob(j.id)"
    />
  </div>
  <template v-if="store.sounds.length > 0">
    <el-input
      v-model="search"
      class="search"
      clearable
      :placeholder="`Find among ${store.sounds.length} sounds`"
      aria-label="Find a sound"
    />
    <ul>
      <SoundRow v-for="s in found" :key="s.id" :sound="s" :hearing="hearing === s.id" @hear="hear(s.id)" />
    </ul>
    <p v-if="found.length === 0" class="soft none">No sound matches “{{ search }}”.</p>
  </template>
  <p v-else class="soft none">
    This show has no sounds yet. What you import stays with the show, for all its episodes.
  </p>
</template>

<style scoped>
h2 {
  font-size: 16px;
}
.drop {
  width: 100%;
  margin: 14px 0 10px;
  padding: 14px;
  border: 1px dashed var(--rule-strong);
  border-radius: 8px;
  background: none;
  cursor: pointer;
}
.search {
  margin: 6px 0;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
.none {
  padding: 14px 0;
  text-align: center;
}
</style>
