<script setup lang="ts">
import { ElDropdown, ElDropdownItem, ElDropdownMenu } from "element-plus";
import { onMounted, ref } from "vue";
import type { Schema } from "../../api/client";
import { useVoices } from "../../stores/voices";

/** Treatments to begin with: one suggested for this voice, some for kinds of voices, and those that the show keeps. */
const props = defineProps<{ voice: Schema["Voice"] | undefined; treatment: Schema["Treatment"]; on: boolean }>();
const emit = defineEmits<{ take: [treatment: Schema["Treatment"], why: string, laid: string] }>();
const voices = useVoices();
/** The name under which it is to be kept, while that is typed. */
const name = ref<string>();

onMounted(() => void voices.list());

function begin(key: string): void {
  const start = props.voice?.starts.find((s) => s.key === key);
  if (start) return emit("take", start.treatment, `${start.name}. ${start.why}`, key);
  const own = voices.kept.find((k) => `own ${k.id}` === key);
  if (own) return emit("take", own.treatment, `“${own.name}”, as the show keeps it.`, "");
  const gone = voices.kept.find((k) => `remove ${k.id}` === key);
  if (gone) void voices.forget(gone.id);
}

async function keep(): Promise<void> {
  const typed = name.value?.trim();
  if (typed && (await voices.keep(typed, props.treatment))) name.value = undefined;
}
</script>

<template>
  <div class="starts">
    <button
      class="plain-button small"
      data-suggest
      :disabled="!voice"
      :title="voice?.suggested.for"
      @click="emit('take', voice!.suggested.treatment, voice!.suggested.why, 'suggested')"
    >
      Suggest
    </button>
    <el-dropdown trigger="click" :disabled="!voice" max-height="420" @command="begin">
      <button class="plain-button small" :disabled="!voice">Begin with…</button>
      <template #dropdown>
        <el-dropdown-menu>
          <el-dropdown-item v-for="s in voice?.starts" :key="s.key" :command="s.key">
            <span class="start"
              >{{ s.name }}<small>{{ s.for }}</small></span
            >
          </el-dropdown-item>
          <el-dropdown-item
            v-for="(k, i) in voices.kept"
            :key="k.id"
            :divided="i === 0"
            :command="`own ${k.id}`"
            class="own"
          >
            <span class="start" :title="k.name"
              ><span class="cut">{{ k.name }}</span
              ><small>kept with the show</small></span
            >
            <button class="remove" :aria-label="`Remove ${k.name}`" @click.stop="begin(`remove ${k.id}`)">
              remove
            </button>
          </el-dropdown-item>
        </el-dropdown-menu>
      </template>
    </el-dropdown>
    <button v-if="on && name === undefined" class="plain-button small" @click="name = ''">Save…</button>
    <form v-if="name !== undefined" @submit.prevent="keep">
      <input
        v-model="name"
        class="text-field"
        maxlength="200"
        placeholder="Name, such as the speaker’s"
        aria-label="Name of this treatment"
        @vue:mounted="($event: { el: HTMLInputElement }) => $event.el.focus()"
        @keydown.escape="name = undefined"
      />
      <button type="submit" class="plain-button small filled" :disabled="!name.trim()">Save with the show</button>
      <button type="button" class="plain-button small" @click="name = undefined">Cancel</button>
    </form>
  </div>
</template>

<style scoped>
.starts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 4px 0 6px;
}
.small {
  padding: 3px 9px;
  font-size: var(--type-hint);
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  width: 100%;
}
form input {
  flex: 1 0 100%;
}
.start {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  max-width: 280px;
  line-height: 1.3;
  padding: 3px 0;
}
.start small {
  color: var(--ink-soft);
  white-space: normal;
}
.own {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
.remove {
  padding: 2px 6px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  font-size: var(--type-small);
  text-decoration: underline;
  cursor: pointer;
}
</style>
