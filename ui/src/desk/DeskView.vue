<script setup lang="ts">
import { PanelRightClose, PanelRightOpen } from "lucide-vue-next";
import { computed, onBeforeUnmount, onMounted, useTemplateRef } from "vue";
import { Player } from "../listening/player";
import { followCourses } from "../drawing/courses";
import { Recorder } from "../recording/recorder";
import { useDesk } from "../stores/desk";
import { useSession } from "../stores/session";
import { useTakes } from "../stores/takes";
import { usePageTitle } from "../talk/pageTitle";
import { STAGE_NAMES } from "./state/stages";
import SkipLinks from "../talk/SkipLinks.vue";
import SelectionBar from "./menus/SelectionBar.vue";
import ClipMenu from "./menus/ClipMenu.vue";
import { cross } from "./acts/crossing";
import { useCopied } from "./acts/clipboard";
import { makeDeskContext } from "./state/context";
import { useKeepingUp } from "./keepingUp";
import { useLaying } from "./laying";
import CountIn from "./CountIn.vue";
import DeckBar from "./transport/DeckBar.vue";
import DeskHeader from "./DeskHeader.vue";
import DropPlaces from "./acts/DropPlaces.vue";
import DragTag from "./widgets/DragTag.vue";
import FilePicker from "./widgets/FilePicker.vue";
import { Heights } from "./state/heights";
import { useAnnouncing } from "./announcing";
import { useMessages } from "./messages";
import QuestionDialog from "./acts/QuestionDialog.vue";
import RenderDialog from "./acts/RenderDialog.vue";
import KeySheet from "./menus/KeySheet.vue";
import ActFinder from "./menus/ActFinder.vue";
import { fetchTheRest, later } from "./later";
import { useShortcuts } from "./menus/shortcuts";
import { useFollowing } from "./transport/following";
import { useHearing } from "./hearing";
import GoneNotice from "./GoneNotice.vue";
import NotOpen from "./NotOpen.vue";
import TimelineGrid from "./lanes/TimelineGrid.vue";
import { useTogether } from "./together";
import { useDropping } from "./acts/useDropping";

const props = defineProps<{ episode: string }>();
const connection = useDesk();
const session = useSession();
const takes = useTakes();
const player = new Player(props.episode, () => session.coming);
const recorder = new Recorder(player, () => props.episode);
const desk = makeDeskContext(player, recorder, new Heights(props.episode));
followCourses(props.episode, () => session.coming);
const { panelOpen } = desk;
usePageTitle(() => [session.episode?.title, session.episode && STAGE_NAMES[desk.stage.value]]);
const grid = useTemplateRef<InstanceType<typeof TimelineGrid>>("grid");
const lanes = computed(() => grid.value?.lanes ?? null);
let opening = Promise.resolve();

const { dropping, takeFiles } = useDropping(desk, () => opening);
useShortcuts(desk);
useMessages(desk);
useAnnouncing(desk);
useCopied();
useTogether(desk, props.episode);

function open(): Promise<void> {
  return (opening = connection.open(props.episode));
}

onMounted(async () => {
  await open();
  if (session.open?.episode !== props.episode) return; // it has been left meanwhile
  if (takes.list.some((t) => t.state === "recording" && !t.live)) {
    begin("gather");
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

const ways = [
  { name: "To the timeline", go: () => void desk.timeline.value?.comeIn() },
  { name: "To the panel", go: () => cross(desk) },
  { name: "To an act, by words", go: () => void (desk.finder.value = true) },
];

const { laidOut, lastVoice, begin } = useLaying(desk, lanes);
useHearing(desk);
useKeepingUp(desk);
useFollowing(desk);
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
    <SkipLinks :ways="ways" />
    <DeskHeader />
    <main class="timeline" aria-label="Timeline">
      <TimelineGrid v-if="session.document" ref="grid" :last-voice="lastVoice" />
      <template v-if="session.document">
        <SelectionBar />
        <LoudnessStrip v-if="panelOpen && desk.stage.value === 'check' && desk.checkTab.value === 'loudness'" />
      </template>
      <NotOpen v-else :episode="episode" @again="open" />
      <ReadingView v-if="desk.reading.value && session.document" />
      <CountIn v-if="recorder.state.phase === 'counting'" :count="recorder.state.count" />
    </main>
    <aside
      v-if="panelOpen"
      id="panel"
      class="panel"
      tabindex="-1"
      :aria-label="`${STAGE_NAMES[desk.stage.value]} panel`"
    >
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
    <GoneNotice v-if="session.gone && session.document" />
    <FilePicker @chosen="takeFiles" />
    <DropPlaces v-if="dropping" :dropping="dropping" />
    <ClipMenu />
    <QuestionDialog />
    <RenderDialog />
    <KeySheet />
    <ActFinder />
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
.folded .timeline {
  grid-column: 1 / 3;
}
aside {
  background: var(--sheet);
  border-left: 1px solid var(--rule-strong);
  padding: 14px 16px;
  overflow: hidden auto;
}
/* In a narrow window the panel stands under the timeline; what does not fit is scrolled to. */
@media (max-width: 900px) {
  .desk,
  .desk.folded {
    grid-template:
      auto minmax(260px, 1fr) minmax(0, auto) auto
      / minmax(0, 1fr);
    height: auto;
    min-height: 100%;
    overflow: visible;
  }
  .desk > :deep(header),
  .desk > :deep(footer),
  .folded .timeline {
    grid-column: 1;
  }
  @media (min-height: 560px) {
    .desk > :deep(footer) {
      position: sticky;
      bottom: 0;
      z-index: 15;
    }
  }
  aside {
    max-height: 46vh;
    border-top: 1px solid var(--rule-strong);
    border-left: 0;
  }
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
</style>
