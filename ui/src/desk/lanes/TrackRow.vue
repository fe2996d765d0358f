<script setup lang="ts">
import { computed, ref, useTemplateRef, watchPostEffect } from "vue";
import type { Schema } from "../../api/client";
import { useSession } from "../../stores/session";
import ChosenStretch from "./ChosenStretch.vue";
import ClipView from "./ClipView.vue";
import { useDeskContext } from "../state/context";
import { isDragging } from "../widgets/drag";
import CrossingView from "./CrossingView.vue";
import EmptyPlace from "./EmptyPlace.vue";
import { covered } from "../../drawing/covering";
import { partNames } from "../../document/parts";
import { BORDER, HEAD } from "../../drawing/picture";
import { selectIn } from "./frame";
import LevelLine from "./LevelLine.vue";
import LanePicture from "./LanePicture.vue";
import LiveTake from "./LiveTake.vue";
import { FOLDED } from "../state/heights";
import HeldName from "./HeldName.vue";
import HiddenClips from "./HiddenClips.vue";
import TrackCard from "./TrackCard.vue";
import TrackHeight from "./TrackHeight.vue";

const props = defineProps<{ track: Schema["Track"]; index: number }>();
/** Below this height a card shows its name and its switches alone. */
const SMALL_CARD = 72;
/** The height of clips on a track that is folded small. */
const FOLDED_CLIP = 20;
const session = useSession();
const desk = useDeskContext();

const content = useTemplateRef<HTMLElement>("content");
// Scrolling and zooming move what has been laid out; nothing of it is made anew.
watchPostEffect(() => {
  if (content.value) content.value.style.transform = desk.time.transform;
});

/** Scrolled so far away that the browser leaves it out. */
const far = ref(false);
const height = computed(() => desk.heights.of(props.track));
const folded = computed(() => height.value <= FOLDED);
const clipHeight = computed(() => height.value - 11);
const audible = computed(() => session.byTrack.get(props.track.id)?.heard ?? true);
const growing = computed(
  () => desk.recorder.state.track === props.track.id && ["recording", "saving"].includes(desk.recorder.state.phase),
);
/** Only what can soon be seen is laid out, what lies in front last. */
const visible = computed(() => {
  const { time } = desk;
  const { laid } = time;
  const [from, to] = [laid.origin + time.laidFrom * laid.scale, laid.origin + time.laidTo * laid.scale];
  const there = Object.entries(props.track.clips)
    .filter(([, c]) => c.start < to && c.start + c.length > from)
    .sort(([, a], [, b]) => (a.layer ?? 0) - (b.layer ?? 0) || a.start - b.start || b.length - a.length);
  const under = covered(there.map(([, clip]) => clip));
  return there.map(([id, clip], place) => ({ id, clip, under: under[place]! }));
});
/** Which part it is of those that a split has left with one name. */
const parts = computed(() => partNames(props.track.clips));
const hidden = computed(() => visible.value.filter((v) => v.under));
const crossings = computed(() => (session.glance?.crossings ?? []).filter((x) => x.in in props.track.clips));
/** Those that there is room to draw the curves of. */
const roomy = computed(() =>
  folded.value ? [] : crossings.value.filter((x) => (x.to - x.from) / desk.time.laid.scale >= 3),
);
const hasLine = computed(() => props.track.envelope.length > 0);
const shownLines = computed(() => ({
  clips: desk.lines.value.clips && !desk.lines.value.tracks,
  track: desk.lines.value.tracks || hasLine.value,
}));
/** Where the track's own line lies, over the bodies of its clips. */
const trackLine = computed(() => ({
  top: `${5 + HEAD + BORDER}px`,
  left: `${desk.time.laidFrom}px`,
  width: `${desk.time.laidTo - desk.time.laidFrom}px`,
  height: `${clipHeight.value - HEAD - 2 * BORDER}px`,
}));
const places = computed(() =>
  (session.glance?.empty ?? [])
    .map((id) => [id, session.document?.markers[id]] as const)
    .filter((p): p is [string, Schema["Marker"]] => p[1]?.fills === props.track.id),
);
const ghosts = computed(() => desk.ghosts.value.filter((g) => g.track === props.track.id));
const span = (from: number, to: number) => ({
  left: `${desk.time.laidX(from)}px`,
  width: `${(to - from) / desk.time.laid.scale}px`,
});

function menu(event: MouseEvent): void {
  event.preventDefault();
  if (isDragging()) return; // a finger that rests on it has taken hold of it
  const left = (event.currentTarget as HTMLElement).getBoundingClientRect().left;
  const at = Math.max(0, Math.round(desk.time.frame(event.clientX - left)));
  desk.selection.track = props.track.id;
  desk.selection.tracks = [props.track.id];
  desk.menu.value = { x: event.clientX, y: event.clientY, track: props.track.id, at };
}
</script>

<template>
  <div
    class="row track-row"
    :class="{ folded }"
    :style="{ height: `${height}px` }"
    role="row"
    :data-row="`track:${track.id}`"
    :aria-label="`Track ${track.name}`"
    :aria-selected="desk.selection.tracks.includes(track.id)"
  >
    <div class="cell" role="rowheader" :aria-label="`Track ${track.name}`" :data-of="`track:${track.id}`">
      <TrackCard :track="track" :index="index" :small="height < SMALL_CARD" :folded="folded" />
      <TrackHeight :track="track" />
    </div>
    <div
      class="lane"
      :class="{ silent: !audible }"
      :data-track="track.id"
      @contentvisibilityautostatechange="far = $event.skipped"
      @pointerdown="selectIn($event, desk, session, track.id)"
      @contextmenu="menu"
    >
      <div ref="content" class="content">
        <LanePicture
          :track="track"
          :clips="visible"
          :crossings="crossings"
          :height="folded ? FOLDED_CLIP : clipHeight"
          :top="folded ? 3 : 5"
          :index="index"
          :folded="folded"
          :far="far"
          :lines="shownLines"
        />
        <ClipView
          v-for="v in visible"
          :id="v.id"
          :key="v.id"
          v-memo="[v.clip, v.under, track.id, track.name, track.part, clipHeight, parts.get(v.id)]"
          :clip="v.clip"
          :track="track.id"
          :track-name="track.name"
          :part="track.part"
          :height="clipHeight"
          :under="v.under"
          :part-of="parts.get(v.id)"
        />
        <div
          v-if="desk.lines.value.tracks && !folded && !far"
          class="track-line"
          role="gridcell"
          :aria-label="`Level line of ${track.name}`"
          :data-of="`track:${track.id}`"
          :style="trackLine"
        >
          <LevelLine
            :id="track.id"
            :points="track.envelope"
            :zero="0"
            :edge="desk.time.laid.origin + desk.time.laidFrom * desk.time.laid.scale"
            :width="desk.time.laidTo - desk.time.laidFrom"
            :height="clipHeight - HEAD - 2 * BORDER"
            :chosen="desk.selection.line === track.id"
          />
        </div>
        <EmptyPlace
          v-for="[id, place] in places"
          :id="id"
          :key="id"
          :place="place"
          :track="track"
          :height="folded ? FOLDED_CLIP : clipHeight"
        />
        <CrossingView v-for="x in roomy" :key="x.in" :crossing="x" :height="clipHeight" />
        <HiddenClips :clips="hidden" :track="track.id" />
        <div
          v-for="(g, i) in ghosts"
          :key="i"
          class="ghost"
          :style="{ ...span(g.start, g.start + g.length), height: `${clipHeight}px` }"
        ></div>
        <ChosenStretch :track="track.id" />
        <template v-for="p in desk.proposed.value" :key="p.from">
          <div
            v-if="track.part === 'voice'"
            class="cut-out"
            :class="{ off: !p.chosen }"
            :style="span(p.from, p.to)"
          ></div>
        </template>
      </div>
      <HeldName class="held" :clips="visible" :part="track.part" :class="{ folded }" />
      <LiveTake v-if="growing" :height="clipHeight" />
    </div>
  </div>
</template>

<style scoped>
.row {
  position: relative;
  display: flex;
  border-bottom: 1px solid var(--rule);
}
.lane {
  position: relative;
  flex: 1;
  min-width: 0;
  overflow: hidden;
  touch-action: pan-y;
  content-visibility: auto; /* what has been scrolled far away costs nothing */
}
.content {
  position: absolute;
  inset: 0;
  transform-origin: 0 0;
}
.lane.silent :deep(canvas),
.lane.silent .held {
  opacity: 0.42;
}
.folded :deep(.body),
.folded :deep(.edge) {
  display: none;
}
.folded :deep(.clip) {
  top: 3px;
  height: 20px !important;
}
.track-line {
  position: absolute;
  z-index: 3;
  pointer-events: none;
}
.ghost {
  position: absolute;
  top: 5px;
  z-index: 4;
  border: 2px dashed var(--ink);
  border-radius: var(--radius-clip);
  background: var(--veil);
  pointer-events: none;
}
.cut-out {
  position: absolute;
  inset-block: 0;
  z-index: 3;
  border-inline: 1px solid var(--ink);
  background: repeating-linear-gradient(135deg, var(--shade) 0 4px, transparent 4px 8px), var(--veil);
  pointer-events: none;
}
.cut-out.off {
  border-inline-style: dotted;
  opacity: 0.4;
}
</style>
