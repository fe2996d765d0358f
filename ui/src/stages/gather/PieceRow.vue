<script setup lang="ts">
import { ArrowLeftRight, Plus } from "lucide-vue-next";
import { computed, ref, watch } from "vue";
import { api, ask, type Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { timeText } from "../../model/units";
import { useJobs } from "../../stores/jobs";
import { useLists } from "../../stores/lists";
import { useSession } from "../../stores/session";
import { tell } from "../../talk/tell";
import HearButton from "./HearButton.vue";
import MiniWave from "./MiniWave.vue";

const props = defineProps<{ piece: Schema["Piece"] }>();
const session = useSession();
const lists = useLists();
const jobs = useJobs();
const desk = useDeskContext();
const range = ref<{ from: number; to: number }>();
/** A drag on the wave marks a stretch; anywhere else it picks the whole up. */
const onWave = ref(false);
const asking = ref(false);
const job = ref<string>();
const under = computed(() => (job.value ? jobs.byID[job.value] : undefined));
const taking = computed(() => asking.value || under.value?.state === "queued" || under.value?.state === "running");
watch(
  () => under.value?.state === "failed",
  (failed) => failed && tell(under.value?.problem?.message ?? `“${props.piece.title}” could not be fetched.`),
);

const source = computed(() => `/shelf/${props.piece.key}`);
const address = computed(() => `${source.value}/audio`);
const hearing = computed(() => desk.hearing.state.address === address.value);
const licence = computed(() => lists.licences.find((l) => l.key === props.piece.licence));
const part = computed(() => props.piece.part as "music" | "effect");

function hear(from = range.value?.from ?? 0): void {
  desk.hearing.hear(address.value, from, range.value && from < range.value.to ? range.value.to : Infinity);
}

/** Has the piece taken among the sounds of the show, by a job that goes on when this has been answered. */
async function take(place: Omit<Schema["Placing"], "$schema" | "episode">): Promise<void> {
  if (!session.episode || taking.value) return;
  asking.value = true;
  try {
    const begun = await ask(
      api.POST("/shows/{show}/shelf/{piece}", {
        params: { path: { show: session.episode.show, piece: props.piece.key } },
        body: { episode: session.episode.id, ...place },
      }),
    );
    if (!jobs.byID[begun.id]) jobs.hear(begun);
    job.value = begun.id;
  } catch (error) {
    tell(error);
  }
  asking.value = false;
}

async function insert(): Promise<void> {
  const track = session.document?.tracks.find((t) => t.id === desk.selection.track && t.part === part.value)?.id;
  const stretch = range.value && { offset: range.value.from, length: range.value.to - range.value.from };
  await take({ start: Math.round(desk.playhead.value), track, ...stretch });
}

/** The sound of the chosen clip, which this piece can be played instead of. */
const chosen = computed(() => desk.selection.clips.map((id) => session.clip(id)).find((c) => c !== undefined));
const swappable = computed(() => {
  const [id] = desk.selection.clips;
  return chosen.value && id && session.trackOfClip(id)?.part === part.value ? chosen.value : undefined;
});

async function swap(): Promise<void> {
  if (swappable.value) await take({ instead: swappable.value.sound });
}

function dragStart(event: DragEvent): void {
  const stretch = range.value ?? { from: 0, to: 0 };
  event.dataTransfer?.setData("application/x-ruvel-piece", JSON.stringify({ piece: props.piece.key, ...stretch }));
}
</script>

<template>
  <li :draggable="!onWave" :data-piece="piece.key" @dragstart="dragStart">
    <HearButton :name="piece.title" :part="part" :hearing="hearing" @hear="hear()" @stop="desk.hearing.stop()" />
    <div class="about">
      <div class="line">
        <strong class="cut" :title="`${piece.title}, ${piece.author}`">{{ piece.title }}</strong>
        <button
          v-if="swappable"
          class="row-button"
          :disabled="taking"
          :aria-label="`Play ${piece.title} instead of ${swappable.name}`"
          :title="`Play it instead of “${swappable.name}”: places, ramps and fades stay`"
          @click="swap"
        >
          <ArrowLeftRight :size="14" />
        </button>
        <button
          class="row-button"
          :disabled="taking"
          :aria-label="`Insert ${piece.title} at the playhead`"
          :title="range ? 'Insert the marked stretch at the playhead' : 'Insert at the playhead'"
          @click="insert"
        >
          <Plus :size="14" />
        </button>
      </div>
      <p v-if="taking" class="soft words" role="status">Being fetched…</p>
      <p v-else class="soft words cut" :title="piece.words.join(', ')">{{ piece.words.join(", ") }}</p>
      <MiniWave
        :source="source"
        :length="piece.length"
        :part="part"
        :name="piece.title"
        :at="hearing ? desk.hearing.state.at : undefined"
        :range="range"
        @hear="hear"
        @mark="range = $event"
        @pointerenter="onWave = true"
        @pointerleave="onWave = false"
      />
      <p
        class="soft facts cut"
        :title="`${piece.author}, ${licence?.name ?? piece.licence}: ${licence?.demands ?? ''}`"
      >
        {{ timeText(piece.length, 0) }}{{ piece.tempo ? ` · ${Math.round(piece.tempo)} bpm` : "" }} ·
        {{ licence?.name ?? piece.licence }} · {{ piece.author }}
      </p>
    </div>
  </li>
</template>

<style scoped src="./row.css"></style>
<style scoped>
li {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 7px 0;
  border-bottom: 1px solid var(--rule);
  cursor: grab;
}
.words {
  font-size: var(--type-small);
}
</style>
