<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import type { Schema } from "../../api/client";
import SliderRow from "../../desk/widgets/SliderRow.vue";
import { FADE_SHAPES, lengthText, parseTime, RATE } from "../../model/units";
import { useSession } from "../../stores/session";

/** Both fades of a clip, in numbers. */
const props = defineProps<{ id: string; clip: Schema["Clip"] }>();
const session = useSession();

const fadeOf = (edge: "in" | "out") => (edge === "in" ? props.clip.fadeIn : props.clip.fadeOut);

function set(edge: "in" | "out", change: Partial<Schema["NewFade"]>, gesture?: string): void {
  const old = fadeOf(edge);
  const length = Math.round(Math.max(0, Math.min(props.clip.length, change.length ?? old.length)));
  const fade = { length, shape: change.shape ?? old.shape };
  void session.edit({ type: "set-fades", fades: [{ clip: props.id, [edge]: fade }] }, gesture);
}
</script>

<template>
  <h3>Fades</h3>
  <template v-for="edge in ['in', 'out'] as const" :key="edge">
    <SliderRow
      :label="edge === 'in' ? 'In' : 'Out'"
      of="Fade"
      :value="fadeOf(edge).length"
      :text="lengthText(fadeOf(edge).length)"
      :parse="parseTime"
      :min="0"
      :max="Math.min(clip.length, 12 * RATE)"
      :step="RATE / 20"
      :normal="0"
      @change="(length: number, g?: string) => set(edge, { length }, g)"
    />
    <el-select
      v-bind="readOut"
      class="shape"
      size="small"
      :model-value="fadeOf(edge).shape"
      :aria-label="`Shape of the fade ${edge}`"
      @change="(shape: Schema['NewFade']['shape']) => set(edge, { shape })"
    >
      <el-option v-for="s in FADE_SHAPES" :key="s.key" :value="s.key" :label="s.name" />
    </el-select>
  </template>
</template>

<style scoped>
h3 {
  margin-bottom: 4px;
  font-size: var(--type-body);
}
.shape {
  width: 140px;
  margin: 0 0 6px 78px;
}
</style>
