<script setup lang="ts">
import { BookOpen } from "lucide-vue-next";
import { computed } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { timeText } from "../../model/units";
import { useScript } from "../../stores/script";
import BothTexts from "../../talk/BothTexts.vue";
import type { KeepState } from "../../talk/keeping";

const script = useScript();
const desk = useDeskContext();
const text = script.text();
const reading = computed(() => script.script?.reading);
const STATES: Record<KeepState, string> = {
  kept: "",
  typed: "Saving…",
  keeping: "Saving…",
  waiting: "It waits to be kept…",
  refused: "Not kept",
  both: "Changed elsewhere too",
};
</script>

<template>
  <section class="script">
    <div class="head">
      <h3>Script</h3>
      <span class="soft" role="status">
        <template v-if="STATES[text.state.value]">{{ STATES[text.state.value] }}</template>
        <template v-else-if="reading && reading.words > 0">
          {{ reading.words }} words · about {{ timeText(reading.time, 0)
          }}{{ reading.left < reading.time ? `, ${timeText(reading.left, 0)} to record` : "" }}
        </template>
      </span>
    </div>
    <textarea
      class="text-field"
      :value="text.value.value"
      rows="7"
      aria-label="Script"
      placeholder="Write or paste what will be said. An empty line begins a new part; # a heading; [in brackets] what is not spoken."
      @input="text.type(($event.target as HTMLTextAreaElement).value)"
      @blur="text.keep()"
    ></textarea>
    <BothTexts :field="text" />
    <button class="plain-button wide" :disabled="!reading?.parts.length" @click="desk.reading.value = true">
      <BookOpen :size="14" />Read it in large type (T)
    </button>
  </section>
</template>

<style scoped>
.script {
  display: grid;
  gap: 6px;
  padding-top: 8px;
  border-top: 1px solid var(--rule);
}
.head {
  display: flex;
  align-items: baseline;
  justify-content: space-between;
  gap: 8px;
  font-size: var(--type-small);
}
h3 {
  font-size: var(--type-text);
}
textarea {
  line-height: 1.45;
  resize: vertical;
}
.wide {
  justify-content: center;
}
</style>
