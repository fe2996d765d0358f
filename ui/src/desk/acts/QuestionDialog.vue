<script setup lang="ts">
import { toFirstField } from "../../talk/firstField";
import { ElDialog } from "element-plus";
import { ref, watch } from "vue";
import { useDeskContext } from "../state/context";

/** Asks for what must be typed before an act can be carried out. */
const desk = useDeskContext();
const typed = ref<string[]>([]);
const choice = ref("");
const wrong = ref<number>();
const fields = ref<HTMLInputElement[]>([]);

watch(
  () => desk.question.value,
  (question) => {
    typed.value = question?.fields.map((f) => f.text) ?? [];
    choice.value = question?.choices?.[0]?.value ?? "";
    wrong.value = undefined;
  },
);

function answer(): void {
  const question = desk.question.value;
  if (!question) return;
  const values = question.fields.map((f, i) => f.parse(typed.value[i] ?? ""));
  wrong.value = values.findIndex((v) => v === undefined);
  if (wrong.value >= 0) {
    fields.value[wrong.value]?.focus();
    return;
  }
  desk.question.value = undefined;
  question.answer(values as number[], choice.value);
}
</script>

<template>
  <el-dialog
    :model-value="desk.question.value !== undefined"
    :title="desk.question.value?.title"
    width="380"
    top="24vh"
    @update:model-value="desk.question.value = undefined"
    @opened="toFirstField"
  >
    <form v-if="desk.question.value" @submit.prevent="answer">
      <p class="soft">{{ desk.question.value.explained }}</p>
      <label v-for="(f, i) in desk.question.value.fields" :key="f.label">
        <span>{{ f.label }}</span>
        <input
          ref="fields"
          v-model="typed[i]"
          class="text-field figures"
          :aria-invalid="wrong === i || undefined"
          :aria-describedby="wrong === i ? 'question-wrong' : undefined"
          spellcheck="false"
          autocomplete="off"
        />
      </label>
      <p v-if="wrong !== undefined && wrong >= 0" id="question-wrong" class="alarm" role="alert">
        This cannot be read. Type it as it stands there, such as 2.5, 1:04.25 or −6 dB.
      </p>
      <label v-for="c in desk.question.value.choices ?? []" :key="c.value" class="choice">
        <input v-model="choice" type="radio" name="choice" :value="c.value" /><span>{{ c.name }}</span>
      </label>
      <div class="buttons">
        <button type="button" class="plain-button" @click="desk.question.value = undefined">Cancel</button>
        <button type="submit" class="plain-button filled">{{ desk.question.value.verb }}</button>
      </div>
    </form>
  </el-dialog>
</template>

<style scoped>
form {
  display: grid;
  gap: 10px;
}
p {
  margin: 0;
}
label {
  display: flex;
  align-items: center;
  gap: 10px;
}
label input.figures {
  width: 110px;
}
input[aria-invalid] {
  border-color: var(--alarm) !important;
}
.alarm {
  color: var(--alarm);
}
.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  margin-top: 6px;
}
</style>
