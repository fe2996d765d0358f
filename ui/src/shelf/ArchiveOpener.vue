<script setup lang="ts">
import { computed, onBeforeUnmount, ref, useTemplateRef, watch } from "vue";
import { api, ask, type Schema } from "../api/client";
import ProgressRow from "../desk/widgets/ProgressRow.vue";
import { useUploads } from "../stores/uploads";

/** Archives of episodes are chosen here, sent, and opened by the server as episodes of the show. */
const props = defineProps<{ show: string }>();
const emit = defineEmits<{ opened: [] }>();
const uploads = useUploads();
const input = useTemplateRef<HTMLInputElement>("input");
const jobs = ref<Schema["JobEvent"][]>([]);
/** Milliseconds from one look at what the server does to the next. */
const LOOK_AGAIN = 500;
let timer = 0;
let going = false;
let left = false;

const sending = computed(() => uploads.list.filter((u) => u.show === props.show));
const doing = (u: (typeof uploads.list)[number]) =>
  ({ waiting: "Waiting", sending: "Sending", interrupted: "Connection lost, goes on by itself" })[
    u.state as "sending"
  ] ?? "The disk is full, goes on by itself";
const running = (j: Schema["JobEvent"]) => j.state === "queued" || j.state === "running";

/** Looks what becomes of the archives until nothing is on its way any more. */
async function look(): Promise<void> {
  window.clearTimeout(timer);
  const before = jobs.value.filter(running).length;
  try {
    const all = await ask(api.GET("/shows/{show}/jobs", { params: { path: { show: props.show } } }));
    jobs.value = (all ?? []).filter((j) => j.kind === "open" && (running(j) || j.state === "failed"));
  } catch {
    // The server is away for a moment.
  }
  if (left) return;
  const now = jobs.value.filter(running).length;
  const more = now > 0 || sending.value.some((u) => u.state !== "failed");
  if (now < before || (going && !more)) emit("opened");
  going = more;
  if (more) timer = window.setTimeout(() => void look(), LOOK_AGAIN);
}

function choose(): void {
  uploads.add(props.show, input.value?.files ?? []);
  input.value!.value = "";
}

async function putAway(job: Schema["JobEvent"]): Promise<void> {
  const params = { path: { job: job.id } };
  await ask(
    running(job) ? api.POST("/jobs/{job}/cancel", { params }) : api.POST("/jobs/{job}/put-away", { params }),
  ).catch(() => undefined);
  await look();
}

/** Begins the opening of an archive anew that was given up. */
async function again(job: Schema["JobEvent"]): Promise<void> {
  await ask(api.POST("/jobs/{job}/again", { params: { path: { job: job.id } } })).catch(() => undefined);
  await look();
}

watch(() => sending.value.map((u) => u.state).join(), look, { immediate: true });
onBeforeUnmount(() => {
  left = true;
  window.clearTimeout(timer);
});
</script>

<template>
  <button class="plain-button" @click="input?.click()">Open an archive…</button>
  <input
    ref="input"
    class="visually-hidden"
    type="file"
    multiple
    accept=".zip,application/zip"
    tabindex="-1"
    aria-hidden="true"
    aria-label="Archives to open"
    @change="choose"
  />
  <Teleport defer to="#opening">
    <ProgressRow
      v-for="u in sending"
      :key="u.key"
      :name="u.name"
      :doing="doing(u)"
      :progress="u.size ? u.sent / u.size : 0"
      :left="u.left"
      :problem="u.problem"
      @stop="uploads.remove(u.key)"
    />
    <ProgressRow
      v-for="j in jobs"
      :key="j.id"
      :name="j.name"
      :doing="j.state === 'queued' ? 'Waiting' : 'Opening'"
      :progress="j.progress"
      :left="j.left"
      :problem="j.state === 'failed' ? (j.problem?.message ?? '') : ''"
      :again="j.state === 'failed' && j.problem?.code === 'given-up'"
      @again="again(j)"
      @stop="putAway(j)"
    />
  </Teleport>
</template>
