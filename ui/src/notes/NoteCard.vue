<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef } from "vue";
import type { Schema } from "../api/client";
import { timeText, whenText } from "../model/units";
import { useNotes } from "../stores/notes";
import { goOn } from "../talk/focus";
import { tell } from "../talk/tell";
import NoteForm from "./NoteForm.vue";

/** A note with its answers. */
const props = defineProps<{
  note: Schema["Note"];
  /** The one who looks makes the episode, and may settle and remove what others wrote. */
  making: boolean;
  near: boolean;
}>();
const emit = defineEmits<{ go: [] }>();
const notes = useNotes();
const writing = ref<"answer" | "change">();
const card = useTemplateRef<HTMLElement>("card");
const form = useTemplateRef<InstanceType<typeof NoteForm>>("form");
const place = computed(() => {
  const { begins, ends } = props.note;
  return ends > begins ? `${timeText(begins)} to ${timeText(ends)}` : timeText(begins);
});
const mayEnd = computed(() => props.making || props.note.yours);

async function write(what: "answer" | "change"): Promise<void> {
  writing.value = what;
  await nextTick();
  form.value?.focus();
}

/** What was written is there; one goes on at what can be done with the note. */
function written(): void {
  writing.value = undefined;
  goOn(() => card.value?.querySelector<HTMLElement>(".acts button"));
}

const keep = (words: string) =>
  writing.value === "change" ? notes.change(props.note.id, { words }) : notes.add({ words, answers: props.note.id });

async function attempt(does: Promise<unknown>): Promise<void> {
  await does.catch(tell);
}
</script>

<template>
  <li ref="card" class="note" :class="{ settled: note.settled, near }" :data-note="note.id">
    <p class="head">
      <button class="link figures" :title="`Go to ${place}`" @click="emit('go')">{{ place }}</button>
      <span class="soft cut">{{ note.by ? `${note.by}, ` : "" }}{{ whenText(note.made) }}</span>
    </p>
    <NoteForm
      v-if="writing === 'change'"
      ref="form"
      label="What the note says"
      verb="Save"
      :words="note.words"
      :keep="keep"
      @kept="written"
      @left="written"
    />
    <p v-else class="words">{{ note.words }}</p>
    <ul v-if="note.answers.length > 0" class="plain-list answers" aria-label="Answers">
      <li v-for="a in note.answers" :key="a.id">
        <p class="words">{{ a.words }}</p>
        <p class="soft small">
          {{ a.by ? `${a.by}, ` : "" }}{{ whenText(a.made) }}
          <button
            v-if="a.yours || making"
            class="link"
            aria-label="Remove the answer"
            @click="attempt(notes.remove(a.id))"
          >
            Remove
          </button>
        </p>
      </li>
    </ul>
    <p v-if="note.settled" class="soft small">Settled{{ note.settledBy ? ` by ${note.settledBy}` : "" }}</p>
    <NoteForm
      v-if="writing === 'answer'"
      ref="form"
      label="Your answer"
      verb="Answer"
      :keep="keep"
      @kept="written"
      @left="written"
    />
    <p v-else class="acts">
      <button class="link" @click="write('answer')">Answer</button>
      <button v-if="note.yours" class="link" @click="write('change')">Change</button>
      <button v-if="mayEnd" class="link" @click="attempt(notes.change(note.id, { settled: !note.settled }))">
        {{ note.settled ? "Open again" : "Settle" }}
      </button>
      <button v-if="mayEnd" class="link" @click="attempt(notes.remove(note.id))">Remove</button>
    </p>
  </li>
</template>

<style scoped>
.note {
  display: grid;
  gap: 4px;
  padding: 8px 8px 8px 10px;
  border-bottom: 1px solid var(--rule);
  border-left: 4px solid var(--effect);
  font-size: var(--type-text);
}
.note.settled {
  border-left-color: var(--rule-strong);
}
.note.near {
  background: var(--paper);
}
.settled > .words {
  color: var(--ink-soft);
}
.head,
.acts {
  display: flex;
  gap: 10px;
  min-width: 0;
}
.words {
  overflow-wrap: anywhere;
  white-space: pre-line;
}
.answers {
  display: grid;
  gap: 4px;
  padding-left: 10px;
  border-left: 1px solid var(--rule-strong);
}
.small,
.head .soft {
  font-size: var(--type-small);
}
</style>
