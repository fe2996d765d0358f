<script setup lang="ts">
import { ElMessage, ElOption, ElRadioButton, ElRadioGroup, ElSelect } from "element-plus";
import { Download, Trash2 } from "lucide-vue-next";
import { computed, ref, watch } from "vue";
import { api, ask, type Refusal, type Schema } from "../../api/client";
import { useDeskContext } from "../../desk/context";
import { figure, sizeText, timeText, whenText } from "../../model/units";
import { useJobs } from "../../stores/jobs";
import { useLists } from "../../stores/lists";
import { useMixdowns } from "../../stores/mixdowns";
import { useSession } from "../../stores/session";
import ProgressRow from "../../desk/ProgressRow.vue";

const session = useSession();
const jobs = useJobs();
const mixdowns = useMixdowns();
const lists = useLists();
const desk = useDeskContext();
const format = ref("wav-24");
const channels = ref<1 | 2>(2);
const range = ref<"whole" | "selection">("whole");
const sending = ref(false);

const selected = computed(() => desk.selection.range);
watch(selected, (r) => {
  if (!r) range.value = "whole";
});
const running = computed(() =>
  Object.values(jobs.byID).filter(
    (j) => j.kind === "mixdown" && j.episode === session.episode?.id && j.state !== "done" && j.state !== "cancelled",
  ),
);
const nameOf = (key: string) => lists.formats.find((f) => f.key === key)?.name ?? key;

// How finished files stand to the target is judged anew when that changes.
watch(
  () => session.document?.target,
  (now, before) => now && before && void mixdowns.refresh().catch(() => undefined),
);

async function mixDown(): Promise<void> {
  const episode = session.episode?.id;
  if (!episode) return;
  sending.value = true;
  const part = range.value === "selection" ? selected.value : undefined;
  try {
    const job = await ask(
      api.POST("/episodes/{episode}/mixdowns", {
        params: { path: { episode } },
        body: {
          format: format.value,
          channels: channels.value,
          ...(part && { from: Math.round(part.from), to: Math.round(part.to) }),
        },
      }),
    );
    if (!jobs.byID[job.id]) jobs.hear(job);
  } catch (error) {
    ElMessage.error((error as Refusal).message);
  }
  sending.value = false;
}

async function remove(m: Schema["Mixdown"]): Promise<void> {
  try {
    await ask(api.DELETE("/mixdowns/{mixdown}", { params: { path: { mixdown: m.id } } }));
    await mixdowns.refresh();
  } catch (error) {
    ElMessage.error((error as Refusal).message);
  }
}
</script>

<template>
  <h2>Hand over</h2>
  <div class="fields">
    <label for="target">Target</label>
    <el-select
      id="target"
      :model-value="session.document?.target"
      aria-label="Target"
      @change="(target: string) => session.edit({ type: 'set-target', target })"
    >
      <el-option
        v-for="t in lists.targets"
        :key="t.key"
        :value="t.key"
        :label="`${t.name}, ${figure(t.integrated).replace('.0', '')} LUFS`"
      />
    </el-select>
    <label for="format">Format</label>
    <el-select id="format" v-model="format" aria-label="Format">
      <el-option v-for="f in lists.formats" :key="f.key" :value="f.key" :label="f.name" />
    </el-select>
    <span>Channels</span>
    <el-radio-group v-model="channels" size="small" aria-label="Channels">
      <el-radio-button :value="2">Stereo</el-radio-button>
      <el-radio-button :value="1">Mono</el-radio-button>
    </el-radio-group>
    <span>Range</span>
    <el-radio-group v-model="range" size="small" aria-label="Range">
      <el-radio-button value="whole">Whole session</el-radio-button>
      <el-radio-button value="selection" :disabled="!selected">Selected range</el-radio-button>
    </el-radio-group>
  </div>
  <button class="plain-button filled go" :disabled="sending || session.length === 0" @click="mixDown">Mix down</button>
  <p v-if="session.length === 0" class="soft none">Place a clip first; then it can be mixed down.</p>
  <div aria-live="polite">
    <ProgressRow
      v-for="j in running"
      :key="j.id"
      :name="j.name"
      :doing="j.state === 'queued' ? 'Waiting' : 'Mixing down'"
      :progress="j.progress"
      :left="j.left"
      :problem="j.problem?.message ?? ''"
      @stop="j.state === 'failed' ? delete jobs.byID[j.id] : jobs.cancel(j.id)"
    />
  </div>
  <hr class="panel-rule" />
  <h3>Mixdowns</h3>
  <p v-if="mixdowns.list.length === 0" class="soft none">
    Finished files are listed here with their loudness and true peak, to be heard and downloaded.
  </p>
  <ul class="plain-list">
    <li v-for="m in mixdowns.list" :key="m.id">
      <div class="line">
        <strong class="cut" :title="m.file">{{ m.file }}</strong>
        <a
          class="icon"
          :href="`/api/mixdowns/${m.id}/file?download=true`"
          :download="m.file"
          :aria-label="`Download ${m.file}`"
          title="Download"
        >
          <Download :size="16" />
        </a>
        <button class="icon" :aria-label="`Remove ${m.file}`" title="Remove" @click="remove(m)">
          <Trash2 :size="15" />
        </button>
      </div>
      <p class="soft">
        {{ nameOf(m.format) }}, {{ m.channels === 1 ? "mono" : "stereo" }} · {{ timeText(m.to - m.from, 0) }} ·
        {{ sizeText(m.bytes) }} ·
        {{ whenText(m.created) }}
      </p>
      <p class="figures measured">
        <span>{{ figure(m.loudness.integrated) }} LUFS</span>
        <span>{{ figure(m.loudness.truePeak) }} dBTP</span>
        <span>{{ m.loudness.range.toFixed(1) }} LU range</span>
      </p>
      <p :class="m.verdict.meets ? 'good' : 'off'">
        {{ m.verdict.text }}<template v-if="m.version !== session.version"> · of an earlier version</template>
      </p>
      <audio
        controls
        preload="none"
        :src="`/api/mixdowns/${m.id}/file`"
        :aria-label="`Hear ${m.file}`"
        @play="desk.player.pause()"
      ></audio>
    </li>
  </ul>
</template>

<style scoped>
h2 {
  font-size: 16px;
}
h3 {
  font-size: 14px;
}
.fields {
  display: grid;
  grid-template-columns: 66px 1fr;
  gap: 8px;
  align-items: center;
  margin: 14px 0;
  font-size: 13px;
}
.go {
  width: 100%;
  justify-content: center;
}
.none {
  padding: 8px 0;
}
li {
  padding: 10px 0;
  border-bottom: 1px solid var(--rule);
  font-size: 12px;
}
.line {
  display: flex;
  align-items: center;
  gap: 6px;
  font-size: 14px;
}
.line strong {
  flex: 1;
}
.icon {
  display: grid;
  padding: 3px;
  border: 0;
  background: none;
  color: var(--ink);
  cursor: pointer;
}
.measured {
  display: flex;
  gap: 14px;
  font-weight: 600;
}
.off {
  color: var(--alarm);
}
.good {
  color: var(--voice);
}
audio {
  width: 100%;
  height: 32px;
  margin-top: 6px;
}
</style>
