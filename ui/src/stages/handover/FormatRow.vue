<script setup lang="ts">
import { ElOption, ElRadioButton, ElRadioGroup, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import { X } from "lucide-vue-next";
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { sizeText } from "../../model/units";
import { useHandover, type WantedFile } from "../../stores/handover";
import { useLists } from "../../stores/lists";

/** One of the formats that the episode is wanted in. */
const props = defineProps<{ place: number; size: number; alone: boolean }>();
/** Its store keeps it; what is chosen here is chosen there. */
const file = defineModel<WantedFile>("file", { required: true });
defineEmits<{ remove: [] }>();
const handover = useHandover();
const lists = useLists();
const format = computed(() => lists.formats.find((f) => f.key === file.value.format));
const label = (of: string) => (props.place === 0 ? of : `${of} ${props.place + 1}`);

function rateOf(q: Schema["Quality"]): string {
  return `${q.name}, ${q.varying ? "about " : ""}${q.rate![file.value.channels - 1]} kbit/s`;
}
</script>

<template>
  <div class="format">
    <div class="line">
      <el-select
        v-bind="readOut"
        :id="place === 0 ? 'format' : undefined"
        :model-value="file.format"
        :aria-label="label('Format')"
        @change="(key: string) => handover.choose(file, key)"
      >
        <el-option v-for="f in lists.formats" :key="f.key" :value="f.key" :label="f.name" />
      </el-select>
      <button
        v-if="!alone"
        class="icon"
        :aria-label="`Leave out ${format?.name}`"
        title="Leave out"
        @click="$emit('remove')"
      >
        <X :size="15" />
      </button>
    </div>
    <div v-if="format?.qualities.length" class="line">
      <el-select v-bind="readOut" v-model="file.quality" :aria-label="label('Quality')" size="small">
        <el-option v-for="q in format.qualities" :key="q.key" :value="q.key" :label="rateOf(q)" />
      </el-select>
    </div>
    <div class="line">
      <el-radio-group v-model="file.channels" size="small" :aria-label="label('Channels')">
        <el-radio-button :value="2">Stereo</el-radio-button>
        <el-radio-button :value="1">Mono</el-radio-button>
      </el-radio-group>
      <el-radio-group
        v-if="(format?.rates.length ?? 0) > 1"
        v-model="file.rate"
        size="small"
        :aria-label="label('Rate')"
      >
        <el-radio-button v-for="r in format?.rates" :key="r" :value="r">{{ r / 1000 }} kHz</el-radio-button>
      </el-radio-group>
    </div>
    <p class="soft">
      {{ format?.about }}<template v-if="size > 0"> · about {{ sizeText(size) }}</template>
    </p>
  </div>
</template>

<style scoped>
.format {
  margin-top: 8px;
  padding: 8px;
  border: 1px solid var(--rule);
  border-radius: var(--radius);
  background: var(--paper);
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 6px;
}
.line :deep(.el-radio-button__inner) {
  padding: 4px 7px;
  font-size: var(--type-small);
}
.line :deep(.el-radio-group) {
  flex-wrap: nowrap;
}
.icon {
  display: grid;
  padding: 3px;
  border: 0;
  background: none;
  color: var(--ink);
  cursor: pointer;
}
p {
  font-size: var(--type-small);
}
</style>
