<script setup lang="ts">
import { computed, ref } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { timeText } from "../../model/units";
import NoteCard from "../../notes/NoteCard.vue";
import NoteForm from "../../notes/NoteForm.vue";
import { useNotes } from "../../stores/notes";

/** What those who work on the episode write to each other about places of it; never in a finished file. */
const desk = useDeskContext();
const notes = useNotes();
const settled = ref(false);
/** A chosen stretch, or the place of the playhead. */
const place = computed(() => desk.selection.range ?? { from: desk.playhead.value, to: desk.playhead.value });
const where = computed(() =>
  place.value.to > place.value.from
    ? `${timeText(place.value.from)} to ${timeText(place.value.to)}`
    : timeText(place.value.from),
);
const shown = computed(() => notes.list.filter((n) => settled.value || !n.settled));
const hidden = computed(() => notes.list.length - notes.open.length);

function keep(words: string): Promise<unknown> {
  const { from, to } = place.value;
  return notes.add({ words, begins: Math.round(from), ends: Math.round(to) });
}
</script>

<template>
  <p class="soft">For those who work on this episode. Nothing of it is in a finished file.</p>
  <NoteForm class="new" :label="`Note something at ${where}`" verb="Note it" :keep="keep" />
  <ul v-if="shown.length > 0" class="plain-list" aria-label="Notes">
    <NoteCard
      v-for="n in shown"
      :key="n.id"
      :note="n"
      making
      :near="n.begins <= desk.playhead.value && desk.playhead.value <= n.ends"
      @go="desk.seek(n.begins)"
    />
  </ul>
  <p v-else class="soft nothing">
    {{ hidden > 0 ? "All notes are settled." : "Nothing is noted yet. Choose a place, or a stretch, and write." }}
  </p>
  <button v-if="hidden > 0" class="plain-button" @click="settled = !settled">
    {{ settled ? "Hide what is settled" : `Show ${hidden} settled` }}
  </button>
</template>

<style scoped>
.new {
  margin: 8px 0;
}
</style>
