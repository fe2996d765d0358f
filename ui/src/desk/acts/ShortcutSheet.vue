<script setup lang="ts">
import { ElDialog, ElInput } from "element-plus";
import { computed, ref } from "vue";
import { useDeskContext } from "../state/context";
import { shortcutList } from "./shortcuts";

const open = defineModel<boolean>({ required: true });
const search = ref("");
const all = shortcutList(useDeskContext(), open);
const found = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  return all.filter((s) => words.every((w) => `${s.shown} ${s.does}`.toLowerCase().includes(w)));
});
</script>

<template>
  <el-dialog v-model="open" title="Keyboard shortcuts" width="620" top="8vh">
    <el-input v-model="search" placeholder="Find a shortcut" aria-label="Find a shortcut" clearable />
    <dl>
      <div v-for="s in found" :key="s.does">
        <dt class="figures">{{ s.shown }}</dt>
        <dd>{{ s.does }}</dd>
      </div>
    </dl>
  </el-dialog>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0 18px;
  margin: 14px 0 0;
  max-height: 56vh;
  overflow: auto;
  font-size: var(--type-text);
}
dl div {
  display: flex;
  gap: 10px;
  padding: 3px 0;
}
dt {
  flex: none;
  width: 100px;
  font-weight: 600;
}
dd {
  margin: 0;
}
</style>
