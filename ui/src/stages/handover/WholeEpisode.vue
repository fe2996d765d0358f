<script setup lang="ts">
import { Archive } from "lucide-vue-next";
import { ref } from "vue";
import { useSession } from "../../stores/session";

/** The episode as one file, and its timeline for other programs. */
defineProps<{ files: boolean }>();
const session = useSession();
const withFiles = ref(false);
</script>

<template>
  <h3>The whole episode</h3>
  <p class="soft whole">
    One archive with the session, its sounds as they were imported, script, details and credits. It opens again on the
    shelf, here or anywhere.
  </p>
  <label v-if="files" class="with"> <input v-model="withFiles" type="checkbox" /> with the finished files </label>
  <a
    class="plain-button"
    :href="`/api/episodes/${session.episode?.id}/archive${withFiles ? '?files=true' : ''}`"
    download
  >
    <Archive :size="14" /> Download the archive
  </a>
  <p class="soft whole">
    For other programs:
    <a :href="`/api/episodes/${session.episode?.id}/lists/timeline.otio`" download>the timeline as OpenTimelineIO</a>,
    with clips, crossings, markers and where the sounds lie in the archive.
  </p>
</template>

<style scoped>
h3 {
  font-size: var(--type-body);
}
.whole a {
  color: inherit;
}
.with {
  display: flex;
  gap: 6px;
  margin-bottom: 8px;
  font-size: var(--type-text);
}
.whole {
  padding: 6px 0;
  font-size: var(--type-hint);
}
</style>
