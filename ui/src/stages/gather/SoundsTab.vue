<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import { Plus } from "lucide-vue-next";
import { computed, ref } from "vue";
import type { Schema } from "../../api/client";
import ProgressRow from "../../desk/widgets/ProgressRow.vue";
import { useJobs } from "../../stores/jobs";
import { useSession } from "../../stores/session";
import { useSounds } from "../../stores/sounds";
import { useTakes } from "../../stores/takes";
import { useUploads } from "../../stores/uploads";
import { useDeskContext } from "../../desk/state/context";
import SoundRow from "./SoundRow.vue";

type Sound = Schema["ShowSound"];

const session = useSession();
const sounds = useSounds();
const jobs = useJobs();
const takes = useTakes();
const uploads = useUploads();
const desk = useDeskContext();
const search = ref("");
const kind = ref("all");
const order = ref("newest");
const open = ref("");

const here = computed(() => {
  const used = new Set<string>();
  for (const track of session.document?.tracks ?? []) Object.values(track.clips).forEach((c) => used.add(c.sound));
  return used;
});
const kinds: { key: string; name: string; keeps: (s: Sound) => boolean }[] = [
  { key: "all", name: "All sounds", keeps: () => true },
  { key: "voice", name: "Voices", keeps: (s) => s.part === "voice" },
  { key: "music", name: "Music", keeps: (s) => s.part === "music" },
  { key: "effect", name: "Effects", keeps: (s) => s.part === "effect" },
  { key: "here", name: "In this episode", keeps: (s) => here.value.has(s.id) },
  { key: "unused", name: "Not used", keeps: (s) => s.used === 0 && !here.value.has(s.id) },
  { key: "credit", name: "Credit incomplete", keeps: (s) => s.need.missing.length > 0 },
];
const orders: { key: string; name: string; compare: (a: Sound, b: Sound) => number }[] = [
  { key: "newest", name: "Newest first", compare: (a, b) => b.created.localeCompare(a.created) },
  { key: "name", name: "By name", compare: (a, b) => a.name.localeCompare(b.name, "en", { numeric: true }) },
  { key: "longest", name: "Longest first", compare: (a, b) => b.length - a.length },
  { key: "loudest", name: "Loudest first", compare: (a, b) => b.loudness.integrated - a.loudness.integrated },
];
/** A discarded take is out of sight until it is taken back. */
const discarded = computed(() => new Set(takes.list.filter((t) => t.state === "discarded").map((t) => t.sound ?? "")));
const shown = computed(() => sounds.list.filter((s) => !discarded.value.has(s.id) || here.value.has(s.id)));
const found = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  const keeps = kinds.find((k) => k.key === kind.value)!.keeps;
  const text = (s: Sound) =>
    [s.name, s.part, s.title, s.author, s.words, s.notes, s.source, s.licence, s.channels === 1 ? "mono" : "stereo"]
      .join(" ")
      .toLowerCase();
  return shown.value
    .filter((s) => keeps(s) && words.every((w) => text(s).includes(w)))
    .sort(orders.find((o) => o.key === order.value)!.compare);
});
const imports = computed(() =>
  jobs.here.filter(
    (j) =>
      (j.kind === "import" || j.kind === "render" || j.kind === "open") &&
      j.state !== "done" &&
      j.state !== "cancelled",
  ),
);
const doing = {
  waiting: "Waiting",
  sending: "Sending",
  interrupted: "Connection lost, goes on by itself",
  full: "The disk is full, goes on by itself",
  failed: "",
};
</script>

<template>
  <button class="drop" @click="desk.chooseFiles.value()">
    Drop recordings or music anywhere<br /><strong>or choose files</strong>
  </button>
  <div>
    <ProgressRow
      v-for="u in uploads.list"
      :key="u.key"
      :name="u.name"
      :doing="doing[u.state]"
      :progress="u.size ? u.sent / u.size : 0"
      :left="u.left"
      :problem="u.problem"
      @stop="uploads.remove(u.key)"
    />
    <ProgressRow
      v-for="j in imports"
      :key="j.id"
      :name="j.name"
      :doing="
        j.state !== 'queued'
          ? j.kind === 'render'
            ? 'Rendering'
            : 'Reading'
          : j.problem
            ? 'Waiting for room on the disk'
            : 'Waiting'
      "
      :progress="j.progress"
      :left="j.left"
      :problem="j.state === 'failed' ? (j.problem?.message ?? '') : ''"
      :again="j.state === 'failed' && j.problem?.code === 'given-up'"
      @again="jobs.again(j.id)"
      @stop="j.state === 'failed' ? jobs.putAway(j.id) : jobs.cancel(j.id)"
    />
  </div>
  <template v-if="shown.length > 0">
    <input
      v-model="search"
      class="text-field search"
      type="search"
      :placeholder="`Find among ${shown.length} sounds`"
      aria-label="Find a sound"
    />
    <div class="choices">
      <el-select v-bind="readOut" v-model="kind" size="small" aria-label="Which sounds">
        <el-option v-for="k in kinds" :key="k.key" :value="k.key" :label="k.name" />
      </el-select>
      <el-select v-bind="readOut" v-model="order" size="small" aria-label="In which order">
        <el-option v-for="o in orders" :key="o.key" :value="o.key" :label="o.name" />
      </el-select>
    </div>
    <p v-if="session.length === 0" class="soft hint">
      Press <Plus :size="12" aria-label="plus" /> beside a sound to lay it on the desk, or drag it there.
    </p>
    <ul class="plain-list">
      <SoundRow
        v-for="s in found"
        :key="s.id"
        :sound="s"
        :open="open === s.id"
        @toggle="open = open === s.id ? '' : s.id"
      />
    </ul>
    <p v-if="found.length === 0" class="soft nothing">
      No sound matches{{ search ? ` “${search}”` : "" }}{{ kind === "all" ? "" : " in this choice" }}.
      <button
        class="plain-button"
        @click="
          search = '';
          kind = 'all';
        "
      >
        Show all
      </button>
    </p>
  </template>
  <p v-else class="soft nothing">
    This show has no sounds yet. What you import, record or take from Music stays with the show, for all its episodes.
  </p>
</template>

<style scoped>
.drop {
  width: 100%;
  margin: 0 0 8px;
  padding: 9px;
  border: 1px dashed var(--rule-strong);
  border-radius: var(--radius-card);
  background: none;
  cursor: pointer;
}
.search {
  margin: 4px 0 6px;
}
.choices {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px;
}
.hint {
  margin: 6px 0 0;
  font-size: var(--type-small);
}
.hint svg {
  vertical-align: -2px;
}
</style>
