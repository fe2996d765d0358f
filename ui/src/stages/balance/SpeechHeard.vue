<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { useSession } from "../../stores/session";

/** With how much sensitivity speech is found in a recording: for the exceptional one alone. */
const props = defineProps<{ clip: Schema["Clip"] }>();
const session = useSession();

const steps = [
  { value: 12, label: "much more than usual" },
  { value: 6, label: "more than usual" },
  { value: 0, label: "as usual" },
  { value: -6, label: "less than usual" },
  { value: -12, label: "much less than usual" },
];
const now = computed(() => session.document?.sounds[props.clip.sound]?.sensitivity ?? 0);

function set(sensitivity: number): void {
  void session.edit({ type: "set-sensitivity", sound: props.clip.sound, sensitivity });
}
</script>

<template>
  <label class="heard" title="Where the rule under the clip misses speech, or takes something else for it">
    <span>Find speech in it</span>
    <el-select size="small" :model-value="now" aria-label="Find speech in it" @change="set">
      <el-option v-for="s in steps" :key="s.value" :value="s.value" :label="s.label" />
    </el-select>
  </label>
</template>

<style scoped>
.heard {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 10px;
  align-items: center;
  margin-top: 6px;
  font-size: var(--type-text);
}
</style>
