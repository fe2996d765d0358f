<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { computed } from "vue";
import SliderRow from "../../desk/SliderRow.vue";
import { makeUpOf } from "../../drawing/level";
import { figure } from "../../model/units";
import type { Setting, Stage, Values } from "./stages";

/** A stage of a treatment: whether it is on, and its settings. */
const props = defineProps<{ stage: Stage; values: Values; usual: Values }>();
const emit = defineEmits<{ change: [values: Values, gesture?: string] }>();

const on = computed(() => props.values.on === true);
const compressor = computed(() =>
  props.stage.key === "compressor" ? (props.values as unknown as Parameters<typeof makeUpOf>[0]) : undefined,
);
const value = (s: Setting) =>
  s.key === "makeUp" && compressor.value ? makeUpOf(compressor.value) : props.values[s.key];
const shown = computed(() => props.stage.settings.filter((s) => s.key !== "makeUp" || !compressor.value?.auto));

function set(s: Setting, typed: number, gesture?: string): void {
  emit("change", { [s.key]: Math.min(s.max, Math.max(s.min, typed)) }, gesture);
}
</script>

<template>
  <label class="stage">
    <input
      type="checkbox"
      :checked="on"
      @change="emit('change', { on: ($event.target as HTMLInputElement).checked })"
    />
    {{ stage.name }} <span class="soft hint">{{ stage.does }}</span>
  </label>
  <template v-if="on">
    <SliderRow
      v-for="s in shown"
      :key="s.key"
      :label="s.name"
      :value="value(s) as number"
      :text="s.text(value(s) as number)"
      :parse="s.parse"
      :min="s.min"
      :max="s.max"
      :step="s.step"
      :normal="usual[s.key] as number"
      @change="(v: number, g?: string) => set(s, v, g)"
    />
    <template v-if="compressor">
      <label class="auto">
        <input
          type="checkbox"
          :checked="compressor.auto"
          @change="emit('change', { auto: ($event.target as HTMLInputElement).checked, makeUp: compressor.makeUp })"
        />
        Make up by itself, so that speech stays as loud
        <b v-if="compressor.auto" class="figures" data-level="makeUp">{{ figure(makeUpOf(compressor), true) }} dB</b>
      </label>
      <el-select
        class="detector"
        size="small"
        :model-value="values.detector"
        aria-label="What the compressor goes by"
        @change="(detector: string) => emit('change', { detector })"
      >
        <el-option value="level" label="goes by the level of 10 ms" />
        <el-option value="peak" label="goes by peaks" />
      </el-select>
      <p v-if="values.ratio === 1" class="soft hint">At 1:1 it does nothing yet.</p>
    </template>
  </template>
</template>

<style scoped>
.hint {
  font-size: 12.5px;
}
.detector {
  width: 198px;
  margin: 2px 0 6px 78px;
}
.stage {
  display: flex;
  align-items: baseline;
  gap: 6px;
  min-height: 26px;
  font-size: 13px;
}
.auto {
  display: flex;
  align-items: baseline;
  gap: 6px;
  font-size: 12.5px;
}
.auto b {
  margin-left: auto;
  font-weight: 400;
  white-space: nowrap;
}
</style>
