<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import { computed } from "vue";
import SliderRow from "../../desk/widgets/SliderRow.vue";
import { makeUpOf } from "../../drawing/level";
import { figure } from "../../model/units";
import Tick from "../../talk/Tick.vue";
import { useLists } from "../../stores/lists";
import type { Setting, Stage, Values } from "./stages";

/** A stage of a treatment: whether it is on, and its settings. */
const props = defineProps<{
  stage: Stage;
  values: Values;
  usual: Values;
  /** Carries a change out; resolves when it has been kept, or refused. */
  set: (values: Values, gesture?: string) => Promise<unknown>;
}>();

const lists = useLists();
const on = computed(() => props.values.on === true);
const compressor = computed(() =>
  props.stage.key === "compressor" ? (props.values as unknown as Parameters<typeof makeUpOf>[0]) : undefined,
);
const value = (s: Setting) =>
  s.key === "makeUp" && compressor.value ? makeUpOf(compressor.value) : props.values[s.key];
const shown = computed(() => props.stage.settings.filter((s) => s.key !== "makeUp" || !compressor.value?.auto));

/** Pixels of a slider are few: what goes far goes in larger steps. */
const FAR = 500;
const range = (s: Setting) => lists.range(props.stage.key, s.key);
const step = (s: Setting) => s.step ?? (range(s).high > FAR ? 5 : 0.5);

function type(s: Setting, typed: number, gesture?: string): void {
  const { low, high } = range(s);
  void props.set({ [s.key]: Math.min(high, Math.max(low, typed)) }, gesture);
}
</script>

<template>
  <label class="stage">
    <Tick :on="on" :set="(on: boolean) => set({ on })" />
    {{ stage.name }} <span class="soft hint">{{ stage.does }}</span>
  </label>
  <template v-if="on">
    <SliderRow
      v-for="s in shown"
      :key="s.key"
      :label="s.name"
      :plain="s.plain"
      :of="stage.name"
      :value="value(s) as number"
      :text="s.text(value(s) as number)"
      :parse="s.parse"
      :min="range(s).low"
      :max="range(s).high"
      :step="step(s)"
      :normal="usual[s.key] as number"
      @change="(v: number, g?: string) => type(s, v, g)"
    />
    <template v-if="compressor">
      <label class="auto">
        <Tick :on="compressor.auto ?? false" :set="(auto: boolean) => set({ auto, makeUp: compressor!.makeUp })" />
        Make up by itself, so that speech stays as loud
        <b v-if="compressor.auto" class="figures" data-level="makeUp">{{ figure(makeUpOf(compressor), true) }} dB</b>
      </label>
      <el-select
        v-bind="readOut"
        class="detector"
        size="small"
        :model-value="values.detector"
        aria-label="What the compressor goes by"
        @change="(detector: string) => set({ detector })"
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
  font-size: var(--type-hint);
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
  font-size: var(--type-text);
}
.auto {
  display: flex;
  align-items: baseline;
  gap: 6px;
  font-size: var(--type-hint);
}
.auto b {
  margin-left: auto;
  font-weight: 400;
  white-space: nowrap;
}
</style>
