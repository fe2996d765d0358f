<script setup lang="ts">
import { ElRadioButton, ElRadioGroup } from "element-plus";
import { Plus } from "lucide-vue-next";
import { computed, onMounted, ref, watch } from "vue";
import { api, ask, type Refusal } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import ProgressRow from "../../desk/widgets/ProgressRow.vue";
import { useHandover } from "../../stores/handover";
import { useJobs } from "../../stores/jobs";
import { useLists } from "../../stores/lists";
import { useMixdowns } from "../../stores/mixdowns";
import { useSession } from "../../stores/session";
import FinishedFile from "./FinishedFile.vue";
import FormatRow from "./FormatRow.vue";
import MustMend from "./MustMend.vue";
import TargetField from "./TargetField.vue";
import WholeEpisode from "./WholeEpisode.vue";
import { tell } from "../../talk/tell";

const session = useSession();
const handover = useHandover();
const jobs = useJobs();
const mixdowns = useMixdowns();
const lists = useLists();
const desk = useDeskContext();
const sending = ref(false);

const selected = computed(() => desk.selection.range);
const chapters = computed(() => Object.values(session.document?.markers ?? {}).filter((m) => m.chapter).length);
watch(
  selected,
  (r) => {
    handover.selected = r && { from: r.from, to: r.to };
    if (!r && handover.stretch === "range") handover.stretch = "whole";
  },
  { immediate: true },
);
watch(chapters, (n) => n === 0 && handover.stretch === "chapters" && (handover.stretch = "whole"));
watch(
  () => [lists.formats.length, handover.files.length],
  ([formats, files]) => formats! > 0 && files === 0 && handover.add(),
  { immediate: true },
);
onMounted(() => handover.soon());
watch(() => [session.version, mixdowns.measured?.version], handover.soon);
// How finished files stand to the target is judged anew when that changes.
watch(
  () => session.document?.target,
  (now, before) => now && before && void mixdowns.refresh().catch(() => undefined),
);

const running = computed(() =>
  jobs.here.filter((j) => j.kind === "mixdown" && j.state !== "done" && j.state !== "cancelled"),
);
const names = computed(() => {
  const stems = handover.ahead?.names ?? [];
  const endings = [
    ...new Set(handover.files.map((f) => lists.formats.find((l) => l.key === f.format)?.extension ?? "")),
  ];
  return { first: stems[0] ?? "", more: stems.length - 1, endings: endings.join(", .") };
});

function aimAt(target: string): void {
  void session.edit({ type: "set-target", target });
}

async function mixDown(overrule: boolean): Promise<void> {
  const episode = session.episode?.id;
  if (!episode) return;
  sending.value = true;
  handover.musts = [];
  try {
    const begun = await ask(
      api.POST("/episodes/{episode}/mixdowns", {
        params: { path: { episode } },
        body: {
          files: handover.files.map(({ format, quality, rate, channels }) => ({ format, quality, rate, channels })),
          chapters: handover.stretch === "chapters",
          byItself: handover.balance === "each-by-itself",
          asItIs: handover.level === "as-it-is",
          overrule,
          ...handover.part,
        },
      }),
    );
    for (const job of begun.jobs) if (!jobs.byID[job.id]) jobs.hear(job);
  } catch (error) {
    const { code, message } = error as Refusal;
    if (code === "must-mend") {
      await handover.refresh();
      handover.musts = handover.ahead?.musts.length ? handover.ahead.musts : [message];
    } else tell(message);
  }
  sending.value = false;
}
</script>

<template>
  <div class="fields">
    <label for="target">Target</label>
    <TargetField />
    <span>Level</span>
    <el-radio-group v-model="handover.level" size="small" aria-label="Level">
      <el-radio-button value="target">To the target</el-radio-button>
      <el-radio-button value="as-it-is">As it is</el-radio-button>
    </el-radio-group>
  </div>
  <p
    v-if="handover.level === 'target' && handover.ahead?.outlook"
    class="outlook"
    :class="{ heard: handover.ahead.outlook.heard }"
  >
    {{ handover.ahead.outlook.text }}
  </p>
  <p v-if="handover.level === 'target' && handover.ahead?.instead" class="outlook">
    {{ handover.ahead.instead.text }}
    <button class="plain-button instead" @click="aimAt(handover.ahead.instead.target)">
      Aim at “{{ handover.ahead.instead.name }}”
    </button>
  </p>
  <FormatRow
    v-for="(f, i) in handover.files"
    :key="f.id"
    v-model:file="handover.files[i]!"
    :place="i"
    :size="handover.ahead?.sizes[i] ?? 0"
    :alone="handover.files.length === 1"
    @remove="handover.files.splice(i, 1)"
  />
  <button v-if="handover.files.length < 8" class="plain-button more" @click="handover.add('wav-24')">
    <Plus :size="14" /> Another format
  </button>
  <div class="fields">
    <span>Range</span>
    <el-radio-group v-model="handover.stretch" size="small" aria-label="Range">
      <el-radio-button value="whole">Whole</el-radio-button>
      <el-radio-button value="range" :disabled="!selected">Chosen stretch</el-radio-button>
      <el-radio-button value="chapters" :disabled="chapters === 0">Chapters</el-radio-button>
    </el-radio-group>
  </div>
  <div v-if="handover.stretch === 'chapters' && handover.level === 'target'" class="fields">
    <span>Loudness</span>
    <el-radio-group v-model="handover.balance" size="small" aria-label="Loudness of the chapters">
      <el-radio-button value="as-in-the-show">As in the show</el-radio-button>
      <el-radio-button value="each-by-itself">Each by itself</el-radio-button>
    </el-radio-group>
  </div>
  <p v-if="names.first" class="soft name">
    <span class="cut" :title="names.first">{{ names.first }}</span><span>.{{ names.endings }}</span>
    <span v-if="names.more > 0">&nbsp;and {{ names.more }} more</span>
  </p>
  <p v-if="handover.problem" class="alarm" role="alert">{{ handover.problem }}</p>
  <MustMend v-if="handover.musts.length" @overrule="mixDown(true)" />
  <button
    class="plain-button filled go"
    :disabled="sending || session.length === 0 || handover.files.length === 0"
    @click="mixDown(false)"
  >
    Mix down
  </button>
  <p v-if="session.length === 0" class="soft none">Place a clip first; then it can be mixed down.</p>
  <div>
    <ProgressRow
      v-for="j in running"
      :key="j.id"
      :name="j.name"
      :doing="j.state === 'queued' ? 'Waiting' : 'Mixing down'"
      :progress="j.progress"
      :left="j.left"
      :problem="j.problem?.message ?? ''"
      @stop="j.state === 'failed' ? jobs.putAway(j.id) : jobs.cancel(j.id)"
    />
  </div>
  <hr class="panel-rule" />
  <h3>Finished files</h3>
  <p v-if="mixdowns.list.length === 0" class="soft none">
    Finished files are listed here with their loudness and true peak, to be heard and downloaded.
  </p>
  <ul class="plain-list">
    <FinishedFile v-for="m in mixdowns.list" :key="m.id" :file="m" :folder="handover.ahead?.folder ?? ''" />
  </ul>
  <hr class="panel-rule" />
  <WholeEpisode :files="mixdowns.list.length > 0" />
</template>

<style scoped>
h3 {
  font-size: var(--type-body);
}
.fields {
  display: grid;
  grid-template-columns: 52px 1fr;
  gap: 8px;
  align-items: center;
  margin: 10px 0;
  font-size: var(--type-text);
}
.fields :deep(.el-radio-group) {
  flex-wrap: nowrap;
}
.fields :deep(.el-radio-button__inner) {
  padding: 5px 9px;
}
.outlook {
  margin: 0 0 10px;
  font-size: var(--type-hint);
  color: var(--ink-soft);
}
.outlook.heard {
  padding-left: 8px;
  border-left: 3px solid var(--alarm);
  color: var(--ink);
}
.more {
  margin-top: 8px;
  font-size: var(--type-hint);
}
.name {
  display: flex;
  margin: 0 0 8px;
  font-size: var(--type-hint);
  white-space: nowrap;
}
.go {
  width: 100%;
  justify-content: center;
}
.none {
  padding: 8px 0;
}
</style>
