<script setup lang="ts">
import { useElementSize, useEventListener } from "@vueuse/core";
import { PanelRightClose, PanelRightOpen } from "lucide-vue-next";
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from "vue";
import { Player } from "../listening/player";
import { followCourses } from "../drawing/courses";
import { preload } from "../drawing/peaks";
import { RATE } from "../model/units";
import { Recorder } from "../recording/recorder";
import { useCheck } from "../stores/check";
import { useDesk } from "../stores/desk";
import { useSession } from "../stores/session";
import { useBalance } from "../stores/balance";
import { useTakes } from "../stores/takes";
import AddTrack from "./lanes/AddTrack.vue";
import ClipMenu from "./acts/ClipMenu.vue";
import { useBare } from "./acts/bare";
import { useCopied } from "./acts/clipboard";
import { useStaying } from "./acts/staying";
import { makeDeskContext, type Stage } from "./context";
import DeckBar from "./transport/DeckBar.vue";
import DeskHeader from "./DeskHeader.vue";
import DragTag from "./widgets/DragTag.vue";
import EmptyDesk from "./lanes/EmptyDesk.vue";
import FilePicker from "./widgets/FilePicker.vue";
import { Heights } from "./lanes/heights";
import { useMessages } from "./messages";
import QuestionDialog from "./acts/QuestionDialog.vue";
import OverviewStrip from "./lanes/OverviewStrip.vue";
import RenderDialog from "./acts/RenderDialog.vue";
import ShortcutSheet from "./acts/ShortcutSheet.vue";
import { fetchTheRest, later } from "./later";
import { useShortcuts } from "./acts/shortcuts";
import LeadStrip from "./lanes/LeadStrip.vue";
import TimeLines from "./lanes/TimeLines.vue";
import TimeRuler from "./lanes/TimeRuler.vue";
import TrackRow from "./lanes/TrackRow.vue";
import { usePinch } from "./widgets/pinch";
import { usePictures } from "./transport/pictures";
import { useDropping } from "./acts/useDropping";

const props = defineProps<{ episode: string }>();
const connection = useDesk();
const session = useSession();
const takes = useTakes();
const balance = useBalance();
const check = useCheck();
const player = new Player(props.episode, () => session.coming);
const recorder = new Recorder(player, () => props.episode);
const desk = makeDeskContext(player, recorder, new Heights(props.episode));
followCourses(props.episode, () => session.coming);
const help = ref(false);
const panelOpen = ref(true);
const lanes = useTemplateRef<HTMLElement>("lanes");
const { width, height } = useElementSize(lanes);
let opening = Promise.resolve();

const { dropping, takeFiles } = useDropping(desk, () => opening);
useShortcuts(desk, help);
useMessages(desk);
useCopied();

function open(): Promise<void> {
  return (opening = connection.open(props.episode));
}

onMounted(async () => {
  await open();
  if (session.open?.episode !== props.episode) return; // it has been left meanwhile
  if (takes.list.some((t) => t.state === "recording" && !t.live)) {
    if (desk.stage.value === begunWith) desk.stage.value = "gather";
    desk.gatherTab.value = "record";
  }
  void fetchTheRest();
});
onBeforeUnmount(() => {
  desk.hearing.stop();
  recorder.dispose();
  player.dispose();
  // Another desk may have been opened before this one is taken off the page.
  if (session.open?.episode === props.episode) connection.leave();
});

/** The stage that the desk was laid out with, once it is: with all of the show in sight. */
let begunWith: Stage | undefined;
const laidOut = ref(false);
watch(
  width,
  (w) => {
    desk.time.width = Math.max(100, w - cardWidth());
    if (w === 0 || laidOut.value || !session.document) return;
    laidOut.value = true;
    desk.time.fit(0, Math.max(session.length, 48000 * 60));
    const untouched = desk.stage.value === "gather" && desk.gatherTab.value === "sounds" && !recorder.busy;
    if (session.length > 0 && untouched) desk.stage.value = "balance";
    begunWith = desk.stage.value;
  },
  { immediate: true },
);
/** What the strip takes under the voices. */
const LEAD_HEIGHT = 63;
/** The track under which the voice lead is shown: the last one for voices, if there is one. */
const lastVoice = computed(() => (session.document?.tracks ?? []).map((t) => t.part).lastIndexOf("voice"));
watch(
  [height, () => session.document?.tracks, () => lastVoice.value >= 0],
  ([room, tracks, strip]) => desk.heights.fit(room - (strip ? LEAD_HEIGHT : 0), tracks ?? []),
  { immediate: true },
);
function cardWidth(): number {
  return parseInt(getComputedStyle(document.documentElement).getPropertyValue("--card-width"));
}

// The mix changes: what is playing goes on with it. It is asked for while the edit is on its way.
watch(
  () => session.coming,
  () => player.changed(),
);
// Something of every sound can be drawn at once, wherever the view goes.
watch(
  () => session.document?.sounds,
  (sounds) => preload(sounds ?? {}),
);
// How speech stands to everything else, where words begin and end, and who makes way: all while the hand moves.
watch(
  () => session.coming,
  (version) => version > 0 && void balance.refresh().catch(() => undefined),
  { immediate: true },
);
watch(
  () => [desk.loopOn.value, desk.selection.range, desk.selection.range ? 0 : session.length] as const,
  ([on, range, length]) => {
    player.loop = on ? (range ?? { from: 0, to: length }) : undefined;
    player.changed();
  },
  { deep: true },
);
// What a second pair of ears would say, when the hand rests.
watch(
  () => [session.version, desk.loopOn.value && desk.selection.range] as const,
  ([version, range]) => {
    check.loop = range || undefined;
    if (version > 0) check.soon();
  },
  { immediate: true, deep: true },
);
watch(
  () => desk.compared.value,
  (compared) => {
    player.compared = compared ?? { of: "", gain: 0 };
    player.changed();
  },
);
const { bare } = useBare(desk);
watch(
  () => bare.value.join(),
  () => {
    player.bare = bare.value;
    player.changed();
  },
);
const { staying } = useStaying(desk);
watch(
  () => staying.value.join(),
  () => {
    player.staying = staying.value;
    player.changed();
  },
);
watch(
  () => session.gone,
  (gone) => gone && player.pause(),
);

/** Brings the playhead to where it is heard, if it goes with that. */
function goOn(): boolean {
  const heard = player.state.playing && !recorder.busy && !desk.scrubbing.value;
  if (recorder.state.phase === "recording") desk.playhead.value = recorder.frameNow();
  else if (heard) desk.playhead.value = player.frameNow();
  else return false;
  return true;
}

/** The next picture of what is heard. */
function picture(): void {
  player.showLevels();
  const { time } = desk;
  if (!goOn() || !desk.following.value) return;
  if (desk.playhead.value > time.end && desk.playhead.value < time.end + time.width * time.scale) {
    time.show(desk.playhead.value - time.width * time.scale * 0.1);
  }
}
// A desk on which nothing moves draws nothing.
usePictures(
  () => player.state.playing || recorder.state.phase === "recording",
  () => (desk.time.scale / RATE) * 1000,
  picture,
);
// What a key or a press is meant for is where it is heard at that moment, not where it was drawn last.
useEventListener(window, ["keydown", "pointerdown", "click"], () => void goOn(), { capture: true });

const pinch = usePinch((factor, x) => desk.time.zoom(factor, Math.max(0, x - cardWidth())), lanes);

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
</script>

<script lang="ts">
const panels = {
  gather: later(() => import("../stages/gather/GatherPanel.vue")),
  arrange: later(() => import("../stages/arrange/ArrangePanel.vue")),
  balance: later(() => import("../stages/balance/BalancePanel.vue")),
  check: later(() => import("../stages/check/CheckPanel.vue")),
  handover: later(() => import("../stages/handover/HandOverPanel.vue")),
};
const ReadingView = later(() => import("../stages/gather/ReadingView.vue"));
const LoudnessStrip = later(() => import("../stages/check/LoudnessStrip.vue"));
</script>

<template>
  <div class="desk" :class="{ folded: !panelOpen }">
    <DeskHeader @help="help = true" />
    <section class="timeline" aria-label="Timeline">
      <template v-if="session.document">
        <OverviewStrip />
        <TimeRuler />
        <div
          ref="lanes"
          class="lanes"
          @wheel="wheel"
          @touchstart="pinch.begin"
          @touchmove="pinch.go"
          @touchend="pinch.end"
        >
          <template v-for="(track, index) in session.document.tracks" :key="track.id">
            <TrackRow :track="track" :index="index" />
            <LeadStrip v-if="index === lastVoice" />
          </template>
          <EmptyDesk v-if="session.length === 0 && !session.glance?.empty.length && !recorder.busy" />
          <AddTrack />
          <div class="over" aria-hidden="true">
            <TimeLines />
          </div>
        </div>
        <LoudnessStrip v-if="panelOpen && desk.stage.value === 'check' && desk.checkTab.value === 'loudness'" />
      </template>
      <div v-else-if="connection.problem" class="fault" role="alert">
        <p>{{ connection.problem.message }}</p>
        <button class="plain-button" @click="open">Try again</button>
        <router-link class="plain-button" to="/">To the shelf</router-link>
      </div>
      <p v-else class="fault soft">Laying out the session…</p>
      <ReadingView v-if="desk.reading.value && session.document" />
      <div v-if="recorder.state.phase === 'counting'" class="count" aria-live="assertive">
        {{ recorder.state.count || "…" }}
      </div>
    </section>
    <aside v-if="panelOpen" :aria-label="`${desk.stage.value} panel`">
      <component :is="panels[desk.stage.value]" v-if="session.document && laidOut" />
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
    <DragTag />
    <div v-if="session.gone && session.document" class="gone" role="alert">
      <p><strong>This episode was removed.</strong> It was taken off the shelf, in another window perhaps.</p>
      <p class="soft">Its sounds are still among those of the show. Nothing that you do here can be kept.</p>
      <router-link class="plain-button filled" to="/">To the shelf</router-link>
    </div>
    <FilePicker @chosen="takeFiles" />
    <div v-if="dropping" class="dropping" aria-hidden="true">
      <p>Drop recordings or music: on a track to place them there, anywhere else for tracks of their own</p>
    </div>
    <ClipMenu />
    <QuestionDialog />
    <RenderDialog />
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
  user-select: none; /* a drag is never one of text */
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
.over {
  position: absolute;
  inset: 0 0 auto var(--card-width);
  height: 100%;
  min-height: 100%;
  pointer-events: none;
  overflow: hidden;
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
.gone {
  position: absolute;
  inset: var(--header-height) 0 0;
  z-index: 25;
  display: grid;
  place-content: center;
  justify-items: center;
  gap: 12px;
  background: var(--veil);
}
.gone p {
  padding: 6px 14px;
  border-radius: var(--radius);
  background: var(--sheet);
}
.gone a {
  text-decoration: none;
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
