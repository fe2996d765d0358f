<script setup lang="ts">
import { toFirstField } from "../../talk/firstField";
import { ElDialog } from "element-plus";
import { computed, ref, watch } from "vue";
import { api, ask, type Refusal } from "../../api/client";
import { isTreated } from "../../drawing/reduction";
import { timeText } from "../../model/units";
import { useJobs } from "../../stores/jobs";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../state/context";
import ProgressRow from "../widgets/ProgressRow.vue";
import { tell } from "../../talk/tell";

/** Makes one sound of the chosen clips, with or without what was done to them. */
const desk = useDeskContext();
const session = useSession();
const jobs = useJobs();
const name = ref("");
const treatment = ref(true);
const lines = ref(true);
const place = ref(true);
const onlyStretch = ref(false);
const asked = ref(false);
const job = ref("");
const wrong = ref("");
/** Milliseconds after which it is asked again what became of a job, while the server is away. */
const AGAIN_MS = 1000;

const meant = computed(() => desk.rendering.value);
const clips = computed(() => (meant.value?.clips ?? []).filter((id) => session.clip(id)));
const treated = computed(() => clips.value.some((id) => isTreated(session.trackOfClip(id)?.treatment)));
const stretch = computed(() => meant.value?.stretch);
const under = computed(() => jobs.byID[job.value]);

watch(meant, (now) => {
  if (!now) return;
  const first = session.clip(now.clips[0] ?? "");
  name.value = first ? `${first.name}, rendered` : "";
  onlyStretch.value = now.stretch !== undefined;
  treatment.value = lines.value = place.value = true;
  asked.value = false;
  job.value = wrong.value = "";
});
watch(
  () => under.value?.state,
  (state) => {
    if (state === "done") {
      tell(`“${under.value!.name}” is a sound of the show now.`, "success");
      close();
    } else if (state === "failed") wrong.value = under.value!.problem?.message ?? "It could not be rendered.";
    else if (state === "cancelled") close();
  },
);

// A job that ended while the connection was lost is not on the list any more.
watch(
  () => job.value !== "" && under.value === undefined,
  (missing) => missing && void findOut(job.value),
);

async function findOut(id: string): Promise<void> {
  try {
    const found = await ask(api.GET("/jobs/{job}", { params: { path: { job: id } } }));
    if (job.value === id) jobs.hear(found);
  } catch (error) {
    const away = (error as Refusal).code !== "not-found";
    if (away) window.setTimeout(() => job.value === id && !under.value && void findOut(id), AGAIN_MS);
    else close();
  }
}

function close(): void {
  job.value = "";
  desk.rendering.value = undefined;
}

async function render(): Promise<void> {
  const open = session.open;
  if (!open || asked.value) return;
  asked.value = true;
  wrong.value = "";
  const range = onlyStretch.value && stretch.value ? stretch.value : {};
  const body = { clips: clips.value, name: name.value.trim(), treatment: treatment.value, lines: lines.value };
  try {
    const params = { path: { episode: open.episode } };
    const begun = await ask(
      api.POST("/episodes/{episode}/renderings", { params, body: { ...body, ...range, place: place.value } }),
    );
    if (!jobs.byID[begun.id]) jobs.hear(begun);
    job.value = begun.id;
  } catch (error) {
    wrong.value = (error as Refusal).message;
    asked.value = false;
  }
}
</script>

<template>
  <el-dialog
    :model-value="meant !== undefined"
    title="Render to a sound"
    width="400"
    top="20vh"
    @opened="toFirstField"
    @close="close"
  >
    <ProgressRow
      v-if="job && under"
      :name="under.name"
      :doing="under.state === 'queued' ? 'Waiting' : 'Rendering'"
      :progress="under.progress"
      :left="under.left"
      :problem="wrong"
      @stop="under.state === 'failed' ? (jobs.putAway(job), close()) : jobs.cancel(job)"
    />
    <form v-else-if="meant" @submit.prevent="render">
      <p class="soft">
        {{ clips.length === 1 ? "The clip becomes" : `The ${clips.length} clips become` }} one sound of the show, as
        they are heard: gains, fades, faders and pan included.
      </p>
      <label class="name">
        <span>Name</span>
        <input
          v-model="name"
          class="text-field"
          maxlength="200"
          aria-label="Name of the sound"
          :aria-describedby="wrong ? 'render-wrong' : undefined"
        />
      </label>
      <label :class="{ soft: !treated }">
        <input v-model="treatment" type="checkbox" :disabled="!treated" />
        With the treatment of {{ clips.length === 1 ? "its track" : "their tracks"
        }}{{ treated ? "" : ": there is none" }}
      </label>
      <label><input v-model="lines" type="checkbox" /> With the level lines</label>
      <label v-if="stretch">
        <input v-model="onlyStretch" type="checkbox" /> Only from {{ timeText(stretch.from, 1) }} to
        {{ timeText(stretch.to, 1) }}
      </label>
      <label>
        <input v-model="place" type="checkbox" /> Put it on a new track, and silence
        {{ clips.length === 1 ? "the clip" : "the clips" }} there
      </label>
      <p v-if="wrong" id="render-wrong" class="alarm" role="alert">{{ wrong }}</p>
      <div class="buttons">
        <button type="button" class="plain-button" @click="close">Cancel</button>
        <button type="submit" class="plain-button filled" :disabled="asked || name.trim() === '' || clips.length === 0">
          Render
        </button>
      </div>
    </form>
  </el-dialog>
</template>

<style scoped>
form {
  display: grid;
  gap: 9px;
}
p {
  margin: 0;
}
label {
  display: flex;
  align-items: baseline;
  gap: 8px;
}
.name input {
  flex: 1;
}
.alarm {
  color: var(--alarm);
}
.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  margin-top: 6px;
}
</style>
