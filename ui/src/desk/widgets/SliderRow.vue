<script setup lang="ts">
import { ElSlider } from "element-plus";
import { ref } from "vue";
import { newGesture } from "./drag";
import ValueField from "./ValueField.vue";

/** A named value: a slider to drag and a field to type into. */
const props = defineProps<{
  label: string;
  value: number;
  text: string;
  parse: (text: string) => number | undefined;
  min: number;
  max: number;
  step: number;
  /** What a double click sets it back to. */
  normal?: number;
}>();
const emit = defineEmits<{ change: [value: number, gesture?: string] }>();
const gesture = ref("");

/** A double click on the slider or its name, not in the field, in which it chooses what is written. */
function reset(event: MouseEvent): void {
  if (props.normal === undefined || (event.target as HTMLElement).closest("input")) return;
  emit("change", props.normal);
}

function slide(value: number | number[]): void {
  gesture.value ||= newGesture();
  emit("change", value as number, gesture.value);
}
</script>

<template>
  <div class="row" @dblclick="reset">
    <span class="label">{{ label }}</span>
    <el-slider
      :model-value="Math.min(max, Math.max(min, value))"
      :min="min"
      :max="max"
      :step="step"
      :show-tooltip="false"
      :aria-label="label"
      :format-value-text="() => text"
      @input="(v: number | number[]) => v !== Math.min(max, Math.max(min, value)) && slide(v)"
      @change="gesture = ''"
    />
    <ValueField
      class="value"
      :value="value"
      :text="text"
      :parse="parse"
      :label="`${label}, typed`"
      @change="(v: number) => emit('change', v)"
    />
  </div>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 66px 1fr 74px;
  gap: 12px;
  align-items: center;
  min-height: 28px;
  font-size: var(--type-text);
}
.row :deep(.el-slider) {
  height: 22px;
  --el-slider-height: 4px;
  --el-slider-button-size: 15px;
  --el-slider-runway-bg-color: var(--rule);
}
</style>
