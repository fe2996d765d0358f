<script setup lang="ts">
import { ElDialog, ElSwitch } from "element-plus";
import { computed, ref, useTemplateRef, watch } from "vue";
import { keyNames } from "../../model/machine";
import { useDeskContext } from "../state/context";
import KeyRow from "./KeyRow.vue";
import { useKeymap } from "./keymap";
import { GROUPS } from "../acts/lists/act";
import { actList } from "../acts/lists/list";

/** All keys, in the order of the work, ten first. Each can be changed; they are kept with the browser. */
const desk = useDeskContext();
const all = actList(desk);
const { kept, changed, shownFor, read, reset } = useKeymap();
const search = ref("");
const said = ref("");
const wrong = ref(false);
const field = useTemplateRef<HTMLInputElement>("field");
const file = useTemplateRef<HTMLInputElement>("file");

const found = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = all.filter((a) =>
    words.every((w) => `${shownFor(a)} ${a.name} ${a.words ?? ""}`.toLowerCase().includes(w)),
  );
  const groups = GROUPS.map((name) => ({ name: name as string, acts: fits.filter((a) => a.group === name) }));
  const first = words.length > 0 ? [] : [{ name: "The ten to begin with", acts: all.filter((a) => a.first) }];
  return [...first, ...groups].filter((g) => g.acts.length > 0);
});
watch(
  () => desk.keysShown.value,
  () => (search.value = said.value = ""),
);

function tell(text: string, bad = false): void {
  said.value = text;
  wrong.value = bad;
}

function save(): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([JSON.stringify(kept.value, null, 2)], { type: "application/json" }));
  link.download = "ruvel-keys.json";
  link.click();
  URL.revokeObjectURL(link.href);
}

async function take(): Promise<void> {
  const [chosen] = file.value?.files ?? [];
  if (!chosen) return;
  const problem = read(await chosen.text(), all);
  file.value!.value = "";
  tell(problem || `The keys are those of ${chosen.name} now.`, problem !== "");
}

function allBack(): void {
  reset();
  tell("All keys are as they came.");
}
</script>

<template>
  <el-dialog v-model="desk.keysShown.value" title="Keys" width="720" top="6vh" @opened="field?.focus()">
    <input
      ref="field"
      v-model="search"
      class="text-field"
      type="search"
      placeholder="Find a key or an act"
      aria-label="Find a key or an act"
    />
    <p v-if="said" :class="wrong ? 'alarm' : 'soft'" role="status">{{ said }}</p>
    <div class="groups">
      <section v-for="g in found" :key="g.name">
        <h3>{{ g.name }}</h3>
        <dl>
          <KeyRow v-for="a in g.acts" :key="a.id" :act="a" :all="all" @said="tell" />
        </dl>
      </section>
      <p v-if="found.length === 0" class="soft">No key and no act has these words.</p>
    </div>
    <div class="foot">
      <label>
        <el-switch v-model="kept.letters" size="small" aria-label="Letters, digits and signs act by themselves" />
        Letters, digits and signs act by themselves; without that, {{ keyNames("Ctrl") }} K finds every act.
      </label>
      <span class="ways">
        <button class="plain-button" @click="save">Export</button>
        <button class="plain-button" @click="file?.click()">Read from a file…</button>
        <button class="plain-button" :disabled="!changed" @click="allBack">All as they came</button>
      </span>
      <input
        ref="file"
        class="visually-hidden"
        type="file"
        accept=".json,application/json"
        tabindex="-1"
        aria-hidden="true"
        data-keys-file
        @change="take"
      />
    </div>
  </el-dialog>
</template>

<style scoped>
.groups {
  max-height: 56vh;
  margin-top: 10px;
  overflow: auto;
}
h3 {
  padding: 8px 0 2px;
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-label);
}
dl {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0 18px;
  margin: 4px 0 0;
  font-size: var(--type-text);
}
.foot {
  display: grid;
  gap: 8px;
  padding-top: 10px;
  border-top: 1px solid var(--rule-strong);
  font-size: var(--type-text);
}
.foot label {
  display: flex;
  align-items: center;
  gap: 8px;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
@media (max-width: 700px) {
  dl {
    grid-template-columns: 1fr;
  }
}
</style>
