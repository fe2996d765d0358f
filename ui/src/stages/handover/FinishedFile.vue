<script setup lang="ts">
import { Download, FolderInput, Inbox, Send, Trash2 } from "lucide-vue-next";
import { computed, ref, useTemplateRef, watch } from "vue";
import { api, ask, type Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { figure, sizeText, timeText, whenText } from "../../model/units";
import { useJobs } from "../../stores/jobs";
import { useMixdowns } from "../../stores/mixdowns";
import { useSession } from "../../stores/session";
import SendFile from "./SendFile.vue";
import { useActing } from "../../talk/acting";
import { tell } from "../../talk/tell";

/** A finished file: what it is, how it measures, and what can be done with it. */
const props = defineProps<{ file: Schema["Mixdown"]; folder: string }>();
const session = useSession();
const mixdowns = useMixdowns();
const jobs = useJobs();
const desk = useDeskContext();
const { act } = useActing();
const sending = ref(false);
const since = ref<Schema["Since"]>();
const earlier = computed(() => props.file.version !== session.version);
const path = computed(() => ({ mixdown: props.file.id }));
watch(
  () => session.version,
  () => (since.value = undefined),
);

/** The file is heard alone, and not while a take is recorded. */
const sound = useTemplateRef<HTMLAudioElement>("sound");
function hear(): void {
  if (desk.mayHear()) desk.hearing.stop();
  else sound.value?.pause();
}
watch(
  () => desk.player.state.playing || desk.hearing.state.address !== "",
  (other) => other && sound.value?.pause(),
);

const remove = () =>
  act(async () => {
    await ask(api.DELETE("/mixdowns/{mixdown}", { params: { path: path.value } }));
    await mixdowns.refresh();
  });
const look = () =>
  act(async () => {
    since.value = since.value
      ? undefined
      : await ask(api.GET("/mixdowns/{mixdown}/since", { params: { path: path.value } }));
  });
const reopen = () =>
  act(async () => {
    session.take(await ask(api.POST("/mixdowns/{mixdown}/reopen", { params: { path: path.value } })));
    tell("The session is as it was when this file was made. Undo brings back how it was a moment ago.", "success");
  });
const takeIn = () =>
  act(async () => {
    const job = await ask(api.POST("/mixdowns/{mixdown}/sound", { params: { path: path.value } }));
    if (!jobs.byID[job.id]) jobs.hear(job);
    tell("It goes among the sounds of the show, in Gather.", "success");
  });
const copy = () =>
  act(async () => {
    const there = await ask(api.POST("/mixdowns/{mixdown}/copy", { params: { path: path.value } }));
    tell(`Copied to ${props.folder} as ${there.name}.`, "success");
  });
</script>

<template>
  <li>
    <div class="line">
      <strong class="cut" :title="file.file">{{ file.file }}</strong>
      <a
        class="icon"
        :href="`/api/mixdowns/${file.id}/file?download=true`"
        :download="file.file"
        :aria-label="`Download ${file.file}`"
        title="Download"
      >
        <Download :size="16" />
      </a>
      <button
        v-if="folder"
        class="icon"
        :aria-label="`Copy ${file.file} to ${folder}`"
        :title="`Copy to ${folder}`"
        @click="copy"
      >
        <FolderInput :size="15" />
      </button>
      <button
        class="icon"
        :aria-label="`Send ${file.file} elsewhere`"
        :aria-expanded="sending"
        title="Send it elsewhere"
        @click="sending = !sending"
      >
        <Send :size="15" />
      </button>
      <button
        v-if="file.plays"
        class="icon"
        :aria-label="`Put ${file.file} among the sounds`"
        title="Put among the sounds"
        @click="takeIn"
      >
        <Inbox :size="15" />
      </button>
      <button class="icon" :aria-label="`Remove ${file.file}`" title="Remove" @click="remove">
        <Trash2 :size="15" />
      </button>
    </div>
    <p class="soft">
      {{ file.setting }} · {{ timeText(file.to - file.from, 0) }} · {{ sizeText(file.bytes) }} ·
      {{ whenText(file.created) }}
    </p>
    <p class="figures measured">
      <span>{{ figure(file.loudness.integrated) }} LUFS</span>
      <span>{{ figure(file.loudness.truePeak) }} dBTP</span>
      <span>{{ file.loudness.range.toFixed(1) }} LU range</span>
    </p>
    <p :class="file.verdict.meets ? 'good' : 'off'">
      <template v-if="file.target">{{ file.target }}: </template>{{ file.verdict.text }}
    </p>
    <p v-if="file.done" class="soft">{{ file.done }}</p>
    <SendFile :file="file" :asking="sending" @asked="sending = false" />
    <p v-if="earlier">
      Of an earlier version.
      <button class="link" :aria-expanded="since !== undefined" @click="look">What has changed since</button>
    </p>
    <div v-if="since" class="since">
      <p>{{ since.text }}</p>
      <ol v-if="since.steps.length">
        <li v-for="(s, i) in since.steps.slice(0, 6)" :key="i">{{ s }}</li>
      </ol>
      <button v-if="file.reopens && !since.same" class="plain-button" @click="reopen">Open that session again</button>
    </div>
    <audio
      v-if="file.plays"
      ref="sound"
      controls
      preload="none"
      :src="`/api/mixdowns/${file.id}/file`"
      :aria-label="`Hear ${file.file}`"
      @play="hear"
    ></audio>
  </li>
</template>

<style scoped>
li {
  padding: 10px 0;
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-small);
}
.line {
  display: flex;
  align-items: center;
  gap: 4px;
  font-size: var(--type-body);
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
.since {
  margin: 4px 0;
  padding-left: 8px;
  border-left: 3px solid var(--rule-strong);
}
ol {
  margin: 2px 0 6px;
  padding-left: 16px;
}
ol li {
  padding: 0;
  border: 0;
}
.since .plain-button {
  padding: 3px 9px;
}
audio {
  width: 100%;
  height: 32px;
  margin-top: 6px;
}
</style>
