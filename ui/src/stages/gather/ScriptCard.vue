<script setup lang="ts">
import { refDebounced } from "@vueuse/core";
import { BookOpen } from "lucide-vue-next";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { useDeskContext } from "../../desk/context";
import { timeText } from "../../model/units";
import { useScript } from "../../stores/script";

const script = useScript();
const desk = useDeskContext();
const typed = ref<string>();
const text = computed(() => typed.value ?? script.script?.text ?? "");
const settled = refDebounced(typed, 700);
const reading = computed(() => script.script?.reading);

async function keep(): Promise<void> {
  const value = typed.value;
  if (value === undefined || value === script.script?.text) return;
  if ((await script.change({ text: value })) && typed.value === value) typed.value = undefined;
}
watch(settled, keep);
onBeforeUnmount(keep);
</script>

<template>
  <section class="script">
    <div class="head">
      <h3>Script</h3>
      <span class="soft" role="status">
        <template v-if="typed !== undefined">Keeping…</template>
        <template v-else-if="reading && reading.words > 0">
          {{ reading.words }} words · about {{ timeText(reading.time, 0)
          }}{{ reading.left < reading.time ? `, ${timeText(reading.left, 0)} to record` : "" }}
        </template>
      </span>
    </div>
    <textarea
      :value="text"
      rows="7"
      aria-label="Script"
      placeholder="Write or paste what will be said. An empty line begins a new part; # a heading; [in brackets] what is not spoken."
      @input="typed = ($event.target as HTMLTextAreaElement).value"
      @blur="keep"
    ></textarea>
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
  font-size: 12px;
}
h3 {
  font-size: 13px;
}
textarea {
  width: 100%;
  padding: 7px 9px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius);
  background: var(--sheet);
  color: inherit;
  font-size: 13px;
  line-height: 1.45;
  resize: vertical;
}
.wide {
  justify-content: center;
}
</style>
