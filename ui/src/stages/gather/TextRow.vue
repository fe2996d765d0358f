<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import { ref, watch } from "vue";

/** A named text that is kept when it is left or confirmed; with suggestions, one of them can be chosen instead. */
const props = defineProps<{
  label: string;
  value: string;
  most: number;
  hint?: string;
  lines?: boolean;
  suggestions?: string[];
}>();
const emit = defineEmits<{ change: [value: string] }>();
const typed = ref(props.value);
watch(
  () => props.value,
  (value) => (typed.value = value),
);

function keep(value: unknown): void {
  const text = String(value).trim();
  if (text !== props.value) emit("change", text);
}
</script>

<template>
  <label class="field">
    <span class="label">{{ label }}</span>
    <el-select
      v-if="suggestions"
      v-bind="readOut"
      :model-value="value"
      size="small"
      filterable
      allow-create
      default-first-option
      :placeholder="hint"
      :aria-label="label"
      @change="keep"
    >
      <el-option v-for="s in suggestions" :key="s" :value="s" :label="s" />
    </el-select>
    <textarea
      v-else-if="lines"
      v-model="typed"
      class="text-field"
      rows="2"
      :maxlength="most"
      :placeholder="hint"
      @change="keep(typed)"
    ></textarea>
    <input
      v-else
      v-model="typed"
      class="text-field"
      autocomplete="off"
      :maxlength="most"
      :placeholder="hint"
      @change="keep(typed)"
    />
  </label>
</template>

<style scoped>
.field {
  display: flex;
  align-items: start;
  gap: 6px;
}
.label {
  flex: none;
  width: 56px;
}
.field > :last-child {
  flex: 1;
  min-width: 0;
}
</style>
