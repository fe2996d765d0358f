<script setup lang="ts" generic="Value extends string | boolean">
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";

/** One of a few, chosen from a list that opens. */
defineProps<{ options: { value: Value; name: string }[]; label: string; id?: string }>();
const picked = defineModel<Value>({ required: true });
</script>

<template>
  <el-select
    v-bind="readOut"
    :id="id"
    v-model="picked"
    size="small"
    class="pick-list"
    :aria-label="label"
    :empty-values="[null, undefined]"
    :fit-input-width="false"
  >
    <el-option v-for="o in options" :key="String(o.value)" :value="o.value" :label="o.name" />
  </el-select>
</template>
