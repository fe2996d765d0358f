<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import { computed, ref, useTemplateRef } from "vue";
import { api, type Part, type Schema } from "../../api/client";
import ValueField from "../../desk/widgets/ValueField.vue";
import { parseTime, sizeText, timeText } from "../../model/units";
import { useLists } from "../../stores/lists";
import { useSession } from "../../stores/session";
import { useSounds } from "../../stores/sounds";
import { useUploads } from "../../stores/uploads";
import SoundUses from "./SoundUses.vue";
import TextRow from "./TextRow.vue";

type Text = "name" | "title" | "author" | "source" | "words" | "notes";

const props = defineProps<{ sound: Schema["ShowSound"] }>();
const range = defineModel<{ from: number; to: number }>("range");
defineEmits<{ insert: [] }>();
const session = useSession();
const sounds = useSounds();
const lists = useLists();
const uploads = useUploads();
const picker = useTemplateRef<HTMLInputElement>("picker");
const replacing = ref(false);

const fields: { key: Text; name: string; most: number; hint?: string }[] = [
  { key: "name", name: "Name", most: 200 },
  { key: "title", name: "Title", most: 200, hint: "Left empty: the name" },
  { key: "author", name: "Author", most: 200 },
  { key: "source", name: "Source", most: 500, hint: "Where it comes from, such as an address" },
  { key: "words", name: "Words", most: 500, hint: "Mood, instrument, genre" },
  { key: "notes", name: "Notes", most: 5000 },
];
const parts: { key: Part; name: string }[] = [
  { key: "voice", name: "Voice" },
  { key: "music", name: "Music" },
  { key: "effect", name: "Effect" },
];
const missing = { title: "title", author: "author", source: "source", licence: "licence" } as Record<string, string>;
const known = computed(() => lists.licences.find((l) => l.key === props.sound.licence));
const licenceText = computed(() => known.value?.name ?? props.sound.licence);
const others = computed(() =>
  sounds.list.filter((s) => s.id !== props.sound.id).sort((a, b) => a.name.localeCompare(b.name)),
);
const path = () => ({ show: session.episode!.show, sound: props.sound.id });

function change(body: Schema["SoundChange"]): Promise<boolean> {
  return session.attempt(api.PATCH("/shows/{show}/sounds/{sound}", { params: { path: path() }, body }));
}

function write(key: Text, value: string): void {
  const text = value.trim();
  if (text === props.sound[key]) return;
  void change({ [key]: text });
}

/** A licence is chosen from the list, or written in words of one's own. */
function writeLicence(value: string): void {
  const text = value.trim();
  const chosen = lists.licences.find((l) => l.name.toLowerCase() === text.toLowerCase() || l.key === text);
  const licence = chosen?.key ?? text;
  if (licence !== props.sound.licence) void change({ licence });
}

function setEdge(edge: "from" | "to", frame: number): void {
  const last = props.sound.length;
  const from = edge === "from" ? frame : (range.value?.from ?? 0);
  const to = edge === "to" ? frame : (range.value?.to ?? last);
  range.value = { from: Math.max(0, Math.min(from, last - 480)), to: Math.min(last, Math.max(to, from + 480)) };
}

async function replace(id: string): Promise<void> {
  replacing.value = false;
  await session.attempt(
    api.POST("/shows/{show}/sounds/{sound}/replace", { params: { path: path() }, body: { with: id } }),
  );
}

function replaceByFile(event: Event): void {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  if (file && session.episode) {
    uploads.add(session.episode.show, [file], { replaces: props.sound.id, part: props.sound.part as Part });
  }
  replacing.value = false;
  input.value = "";
}
</script>

<template>
  <div class="details">
    <div class="insert">
      <span class="label">Use</span>
      <ValueField
        :value="range?.from ?? 0"
        :text="timeText(range?.from ?? 0)"
        :parse="parseTime"
        :label="`Start of the stretch of ${sound.name}`"
        @change="setEdge('from', $event)"
      />
      <span class="soft">to</span>
      <ValueField
        :value="range?.to ?? sound.length"
        :text="timeText(range?.to ?? sound.length)"
        :parse="parseTime"
        :label="`End of the stretch of ${sound.name}`"
        @change="setEdge('to', $event)"
      />
      <button v-if="range" class="link" @click="range = undefined">all of it</button>
    </div>
    <button class="plain-button filled wide" @click="$emit('insert')">
      {{ range ? "Insert this stretch at the playhead" : "Insert at the playhead" }}
    </button>
    <p class="soft facts figures">
      {{ sound.format.toUpperCase() }} · {{ (sound.rate / 1000).toString() }} kHz · {{ sizeText(sound.bytes) }}<br />
      loudness range {{ sound.loudness.range.toFixed(1) }} LU{{
        sound.tempo ? ` · ${Math.round(sound.tempo)} beats a minute` : ""
      }}
    </p>
    <p v-if="sound.need.missing.length > 0" class="alarm">
      For its credit {{ sound.need.missing.map((m) => missing[m]).join(", ") }}
      {{ sound.need.missing.length > 1 ? "are" : "is" }} missing.
    </p>
    <TextRow
      v-for="f in fields"
      :key="f.key"
      :label="f.name"
      :value="sound[f.key]"
      :most="f.most"
      :hint="f.hint"
      :lines="f.key === 'notes'"
      @change="write(f.key, $event)"
    />
    <TextRow
      label="Licence"
      :value="licenceText"
      :most="200"
      hint="Choose, or write your own"
      :suggestions="lists.licences.map((l) => l.name)"
      @change="writeLicence"
    />
    <p v-if="known" class="soft demands">{{ known.demands }}</p>
    <label class="field">
      <span class="label">It is</span>
      <el-select
        v-bind="readOut"
        :model-value="sound.part"
        size="small"
        aria-label="What it is"
        @change="change({ part: $event })"
      >
        <el-option v-for="p in parts" :key="p.key" :value="p.key" :label="p.name" />
      </el-select>
    </label>
    <SoundUses :sound="sound" />
    <div class="acts">
      <button class="plain-button" :aria-expanded="replacing" @click="replacing = !replacing">Replace…</button>
      <button
        class="plain-button"
        @click="session.attempt(api.DELETE('/shows/{show}/sounds/{sound}', { params: { path: path() } }))"
      >
        Remove from the show
      </button>
    </div>
    <div v-if="replacing" class="replace">
      <p class="soft">Everywhere it is used, another takes its place. Each episode can undo it.</p>
      <el-select
        v-bind="readOut"
        size="small"
        filterable
        placeholder="Another sound of this show"
        aria-label="Replace by"
        @change="replace"
      >
        <el-option v-for="s in others" :key="s.id" :value="s.id" :label="s.name" />
      </el-select>
      <button class="plain-button" @click="picker?.click()">A file from this computer</button>
      <input
        ref="picker"
        class="visually-hidden"
        type="file"
        accept="audio/*"
        tabindex="-1"
        aria-label="File that replaces the sound"
        @change="replaceByFile"
      />
    </div>
  </div>
</template>

<style scoped>
.details {
  display: grid;
  gap: 7px;
  padding: 0 0 12px;
  font-size: var(--type-text);
}
.insert {
  display: flex;
  align-items: center;
  gap: 6px;
}
.insert .label,
.field .label {
  flex: none;
  width: 56px;
}
.insert :deep(input) {
  width: 74px;
}
.field {
  display: flex;
  align-items: start;
  gap: 6px;
}
.field > :last-child {
  flex: 1;
  min-width: 0;
}
.facts,
.demands {
  font-size: var(--type-small);
}
.demands {
  padding-left: 62px;
}
.wide {
  justify-content: center;
}
.acts,
.replace {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
</style>
