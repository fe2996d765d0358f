<script setup lang="ts">
import { useElementSize, useEventListener, useRafFn } from "@vueuse/core";
import { ElMessage } from "element-plus";
import { PanelRightClose, PanelRightOpen } from "lucide-vue-next";
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from "vue";
import { Player } from "../listening/player";
import ArrangePanel from "../panels/ArrangePanel.vue";
import BalancePanel from "../panels/BalancePanel.vue";
import DeliverPanel from "../panels/DeliverPanel.vue";
import GatherPanel from "../gather/GatherPanel.vue";
import ReadingView from "../gather/ReadingView.vue";
import { Recorder } from "../recording/recorder";
import { api } from "../api/client";
import { useDesk } from "../stores/desk";
import { useUploads } from "../stores/uploads";
import { makeDeskContext } from "./context";
import DeckBar from "./DeckBar.vue";
import DeskHeader from "./DeskHeader.vue";
import EmptyDesk from "./EmptyDesk.vue";
import OverviewStrip from "./OverviewStrip.vue";
import ShortcutSheet from "./ShortcutSheet.vue";
import { useShortcuts } from "./shortcuts";
import TimeRuler from "./TimeRuler.vue";
import TrackRow from "./TrackRow.vue";

const props = defineProps<{ episode: string }>();
const store = useDesk();
const uploads = useUploads();
const player = new Player(props.episode, () => store.version);
const recorder = new Recorder(player, () => props.episode);
const desk = makeDeskContext(player, recorder);
const help = ref(false);
const panelOpen = ref(true);
const dropping = ref(false);
const addingTo = ref(false);
const lanes = useTemplateRef<HTMLElement>("lanes");
const { width } = useElementSize(lanes);
const playheadX = computed(() => desk.time.x(desk.playhead.value));
const panels = { gather: GatherPanel, arrange: ArrangePanel, balance: BalancePanel, deliver: DeliverPanel };

useShortcuts(desk, help);

onMounted(async () => {
  await store.open(props.episode);
  await new Promise(requestAnimationFrame);
  desk.time.fit(0, Math.max(store.length, 48000 * 60));
  const unfinished = store.takes.some((t) => t.state === "recording" && !t.live);
  const untouched = desk.stage.value === "gather" && desk.gatherTab.value === "sounds" && !recorder.busy;
  if (unfinished) desk.gatherTab.value = "record";
  else if (store.length > 0 && untouched) desk.stage.value = "balance";
});
onBeforeUnmount(() => {
  desk.hearing.stop();
  recorder.dispose();
  player.dispose();
  store.close();
});

watch(width, (w) => (desk.time.width = Math.max(100, w - cardWidth())), { immediate: true });
function cardWidth(): number {
  return parseInt(getComputedStyle(document.documentElement).getPropertyValue("--card-width"));
}

// The mix has changed: what is playing goes on with it.
watch(
  () => store.version,
  () => player.changed(),
);
watch(
  () => [desk.loopOn.value, desk.selection.range] as const,
  ([on, range]) => {
    player.loop = on ? (range ?? { from: 0, to: store.length }) : undefined;
    player.changed();
  },
  { deep: true },
);
const say = (type: "error" | "warning", message: string) =>
  ElMessage({ type, message, duration: 7000, showClose: true, offset: 62, grouping: true });
watch(
  () => store.problem,
  (problem) => problem && say("error", problem.message),
);
watch(
  () => player.state.problem,
  (text) => text && say("warning", text),
);
watch(
  () => Object.values(store.jobs).filter((j) => j.state === "failed").length,
  (now, before) => {
    const where = desk.stage.value;
    if (now > before && where !== "gather" && where !== "deliver") {
      say("error", "A file could not be taken in or mixed down; Gather and Deliver say why.");
    }
  },
);

useRafFn(() => {
  if (recorder.state.phase === "recording") desk.playhead.value = recorder.frameNow();
  else if (player.state.playing && !recorder.busy) desk.playhead.value = player.frameNow();
  else return;
  const { time } = desk;
  if (desk.playhead.value > time.end && desk.playhead.value < time.end + time.width * time.scale) {
    time.show(desk.playhead.value - time.width * time.scale * 0.1);
  }
});

function wheel(event: WheelEvent): void {
  const box = lanes.value!.getBoundingClientRect();
  const x = event.clientX - box.left - cardWidth();
  if (event.ctrlKey) {
    event.preventDefault();
    desk.time.zoom(Math.exp(event.deltaY * 0.002), Math.max(0, x));
  } else if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
    event.preventDefault();
    desk.time.show(desk.time.start + (event.deltaX || event.deltaY) * desk.time.scale);
  }
}

const OURS = ["application/x-ruvel-sound", "application/x-ruvel-piece"];

function dragOver(event: DragEvent): void {
  const types = event.dataTransfer?.types ?? [];
  if (!types.includes("Files") && !OURS.some((t) => types.includes(t))) return;
  event.preventDefault();
  dropping.value = types.includes("Files");
}

/** What is dropped on a lane goes there; dropped anywhere else, onto tracks of its own from the start. */
function drop(event: DragEvent): void {
  dropping.value = false;
  if (!store.episode || !event.dataTransfer) return;
  event.preventDefault();
  const lane = (event.target as HTMLElement).closest<HTMLElement>("[data-track]");
  const start = lane ? Math.max(0, desk.time.frame(event.clientX - lane.getBoundingClientRect().left)) : 0;
  const at = { start, track: lane?.dataset.track };
  const [sound, piece] = OURS.map((type) => event.dataTransfer!.getData(type));
  if (sound) {
    placeSound(JSON.parse(sound) as Carried, at);
  } else if (piece) {
    placePiece(JSON.parse(piece) as Carried, at);
  } else {
    uploads.add(store.episode.show, event.dataTransfer.files, { episode: props.episode, ...at });
    desk.stage.value = "gather";
    desk.gatherTab.value = "sounds";
  }
}

/** A sound or a piece of the shelf that is dragged, with the stretch that was marked in it. */
interface Carried {
  sound?: string;
  piece?: string;
  from: number;
  to: number;
}
const stretch = ({ from, to }: Carried) => (to > from ? { offset: from, length: to - from } : {});

function placeSound(carried: Carried, at: { start: number; track?: string }): void {
  const known = store.soundOf(carried.sound!);
  if (!known) return;
  const { id, part, name } = known;
  void store.edit({ type: "insert-clip", sound: id, part, name, ...at, ...stretch(carried) });
}

function placePiece(carried: Carried, at: { start: number; track?: string }): void {
  const path = { show: store.episode!.show, piece: carried.piece! };
  const body = { episode: props.episode, ...at, ...stretch(carried) };
  void store.attempt(api.POST("/shows/{show}/shelf/{piece}", { params: { path }, body }));
}

async function addTrack(part: "voice" | "music" | "effect"): Promise<void> {
  addingTo.value = false;
  await store.edit({ type: "add-track", part });
}

useEventListener(window, "blur", () => (dropping.value = false));
</script>

<template>
  <div
    class="desk"
    :class="{ folded: !panelOpen }"
    @dragover="dragOver"
    @dragleave.self="dropping = false"
    @drop="drop"
  >
    <DeskHeader @help="help = true" />
    <section class="timeline" aria-label="Timeline">
      <template v-if="store.document">
        <OverviewStrip />
        <TimeRuler />
        <div ref="lanes" class="lanes" @wheel="wheel">
          <TrackRow v-for="(track, index) in store.document.tracks" :key="track.id" :track="track" :index="index" />
          <EmptyDesk v-if="store.length === 0 && !recorder.busy" />
          <div class="add">
            <button class="plain-button" :aria-expanded="addingTo" @click="addingTo = !addingTo">Add a track</button>
            <template v-if="addingTo">
              <button class="plain-button" @click="addTrack('voice')">for voice</button>
              <button class="plain-button" @click="addTrack('music')">for music</button>
              <button class="plain-button" @click="addTrack('effect')">for effects</button>
            </template>
          </div>
          <div class="over" aria-hidden="true">
            <div
              v-if="desk.guide.value !== undefined"
              class="guide"
              :style="{ left: `${desk.time.x(desk.guide.value)}px` }"
            ></div>
            <div
              v-if="playheadX >= 0 && playheadX <= desk.time.width && (store.length > 0 || recorder.busy)"
              class="playhead"
              :style="{ transform: `translateX(${playheadX}px)` }"
            ></div>
          </div>
        </div>
      </template>
      <div v-else-if="store.loadProblem" class="fault" role="alert">
        <p>{{ store.loadProblem.message }}</p>
        <button class="plain-button" @click="store.open(episode)">Try again</button>
        <router-link class="plain-button" to="/">To the shelf</router-link>
      </div>
      <p v-else class="fault soft">Laying out the session…</p>
      <ReadingView v-if="desk.reading.value && store.document" />
      <div v-if="recorder.state.phase === 'counting'" class="count" aria-live="assertive">
        {{ recorder.state.count || "…" }}
      </div>
    </section>
    <aside v-if="panelOpen" :aria-label="`${desk.stage.value} panel`">
      <component :is="panels[desk.stage.value]" v-if="store.document" />
    </aside>
    <button
      class="fold"
      :aria-label="panelOpen ? 'Fold the panel' : 'Unfold the panel'"
      :title="panelOpen ? 'Fold the panel' : 'Unfold the panel'"
      @click="panelOpen = !panelOpen"
    >
      <component :is="panelOpen ? PanelRightClose : PanelRightOpen" :size="16" />
    </button>
    <DeckBar />
    <div
      v-if="desk.tag.value"
      class="tag figures"
      :style="{ left: `${desk.tag.value.x + 14}px`, top: `${desk.tag.value.y - 30}px` }"
    >
      {{ desk.tag.value.text }}
    </div>
    <div v-if="dropping" class="dropping" aria-hidden="true">
      <p>Drop recordings or music: on a track to place them there, anywhere else for tracks of their own</p>
    </div>
    <ShortcutSheet v-model="help" />
  </div>
</template>

<style scoped>
.desk {
  position: relative;
  display: grid;
  grid-template: var(--header-height) minmax(0, 1fr) var(--deck-height) / minmax(0, 1fr) var(--panel-width);
  height: 100%;
  overflow: hidden;
}
.desk.folded {
  grid-template-columns: minmax(0, 1fr) 0;
}
.desk > :deep(header),
.desk > :deep(footer) {
  grid-column: 1 / 3;
}
.timeline {
  position: relative;
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
}
.count {
  position: absolute;
  inset: 0;
  z-index: 14;
  display: grid;
  place-items: center;
  background: var(--veil);
  font-size: 180px;
  font-weight: 700;
  pointer-events: none;
}
.folded .timeline {
  grid-column: 1 / 3;
}
.lanes {
  position: relative;
  flex: 1;
  overflow: hidden auto;
  scrollbar-width: none;
}
.add {
  display: flex;
  gap: 6px;
  padding: 8px 18px;
  font-size: 13px;
}
.over {
  position: absolute;
  inset: 0 0 auto var(--card-width);
  height: 100%;
  min-height: 100%;
  pointer-events: none;
  overflow: hidden;
}
.playhead,
.guide {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 2px;
  margin-left: -1px;
  background: var(--alarm);
}
.guide {
  width: 0;
  background: none;
  border-left: 1px dashed var(--ink);
}
aside {
  background: var(--sheet);
  border-left: 1px solid var(--rule-strong);
  padding: 14px 16px;
  overflow: hidden auto;
}
.fold {
  position: absolute;
  right: 8px;
  top: calc(var(--header-height) + 10px);
  display: grid;
  padding: 5px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}
.tag {
  position: fixed;
  z-index: 30;
  padding: 3px 8px;
  border-radius: 5px;
  background: var(--ink);
  color: var(--ink-inverse);
  font-size: 12px;
  white-space: nowrap;
  pointer-events: none;
}
.dropping {
  position: absolute;
  inset: 8px;
  z-index: 20;
  display: grid;
  place-items: end center;
  padding-bottom: 90px;
  border: 2px dashed var(--voice);
  border-radius: 12px;
  background: var(--shade);
  pointer-events: none;
}
.dropping p {
  padding: 10px 18px;
  border-radius: var(--radius);
  background: var(--sheet);
  font-weight: 600;
}
.fault {
  display: grid;
  gap: 12px;
  justify-items: center;
  margin: auto;
}
.fault a {
  text-decoration: none;
  color: inherit;
}
@media (max-width: 1100px) {
  .desk {
    --panel-width: 280px;
    --card-width: 170px;
  }
}
</style>
