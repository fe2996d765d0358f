<script setup lang="ts">
import { ElSlider } from "element-plus";
import { computed, ref } from "vue";
import { newGesture } from "./drag";
import ValueField from "./ValueField.vue";

/** A named value: a slider to drag and a field to type into. */
const props = defineProps<{
  label: string;
  /** The same in a plain word, small beside it. */
  plain?: string;
  /** What it is a setting of, where several have one of that name. */
  of?: string;
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
const spoken = computed(() => (props.of ? `${props.of} ${props.label.toLowerCase()}` : props.label));

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
    <span class="label"
      >{{ label }}<small v-if="plain" class="soft">{{ plain }}</small></span
    >
    <el-slider
      :model-value="Math.min(max, Math.max(min, value))"
      :min="min"
      :max="max"
      :step="step"
      :show-tooltip="false"
      :aria-label="spoken"
      :format-value-text="() => text"
      @input="(v: number | number[]) => v !== Math.min(max, Math.max(min, value)) && slide(v)"
      @change="gesture = ''"
    />
    <ValueField
      class="value"
      :value="value"
      :text="text"
      :parse="parse"
      :label="`${spoken}, typed`"
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
.label {
  line-height: 14px;
}
small {
  display: block;
  font-size: var(--type-small);
  line-height: 12px;
}
.row :deep(.el-slider) {
  height: 22px;
  --el-slider-height: 4px;
  --el-slider-button-size: 15px;
  --el-slider-runway-bg-color: var(--rule);
}
</style>
