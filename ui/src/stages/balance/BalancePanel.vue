<script setup lang="ts">
import { computed, ref } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import ClipFades from "./ClipFades.vue";
import ClipGain from "./ClipGain.vue";
import DipCard from "./DipCard.vue";
import EvenOut from "./EvenOut.vue";
import LevelHere from "./LevelHere.vue";
import LinePoints from "./LinePoints.vue";
import MakeRoom from "./MakeRoom.vue";
import MakingWay from "./MakingWay.vue";
import SpeechHeard from "./SpeechHeard.vue";
import TrackLevels from "./TrackLevels.vue";
import TrackTreatment from "./TrackTreatment.vue";

const session = useSession();
/** Voices are being evened out. */
const evening = ref(false);
/** Room is being made for speech. */
const rooming = ref(false);
const desk = useDeskContext();

const chosen = computed(() => {
  const id = desk.selection.clips[0];
  const track = session.document?.tracks.find((t) => id && id in t.clips);
  return id && track ? { id, track, clip: track.clips[id]! } : undefined;
});
const track = computed(
  () => chosen.value?.track ?? session.document?.tracks.find((t) => t.id === desk.selection.track),
);
/** The line whose points are typed: the track's while those of tracks are shown, or the clip's. */
const line = computed(() => (desk.lines.value.tracks ? track.value?.id : chosen.value?.id));
const ofTracks = computed({
  get: () => desk.lines.value.tracks,
  set: (tracks) => (desk.lines.value = { ...desk.lines.value, tracks }),
});
</script>

<template>
  <template v-if="chosen">
    <h2 class="cut" :title="chosen.clip.name">{{ chosen.clip.name }}</h2>
    <p class="soft">
      {{ chosen.track.name }} ·
      <span class="figures"
        >{{ timeText(chosen.clip.start, 1) }} – {{ timeText(chosen.clip.start + chosen.clip.length, 1) }}</span
      >
    </p>
    <hr class="panel-rule" />
    <LevelHere :id="chosen.id" :track="chosen.track" />
    <hr class="panel-rule" />
    <template v-if="chosen.track.part !== 'voice'">
      <MakingWay :track="chosen.track" />
      <hr class="panel-rule" />
    </template>
    <h3>Clip</h3>
    <ClipGain :id="chosen.id" :clip="chosen.clip" />
    <SpeechHeard v-if="chosen.track.part === 'voice'" :clip="chosen.clip" />
    <hr class="panel-rule" />
  </template>
  <template v-if="line">
    <LinePoints :id="line" />
    <hr class="panel-rule" />
  </template>
  <template v-if="chosen">
    <template v-if="chosen.track.part !== 'voice'">
      <DipCard :id="line ?? chosen.id" />
      <hr class="panel-rule" />
    </template>
    <ClipFades :id="chosen.id" :clip="chosen.clip" />
    <hr class="panel-rule" />
  </template>
  <TrackLevels v-if="track" :track="track" />
  <label v-if="track" class="lines">
    <input v-model="ofTracks" type="checkbox" /> Show the level lines of tracks (V)
  </label>
  <template v-if="track && !chosen && track.part !== 'voice'">
    <hr class="panel-rule" />
    <MakingWay :track="track" />
  </template>
  <template v-if="track">
    <hr class="panel-rule" />
    <TrackTreatment :track="track" />
  </template>
  <div v-if="!chosen && !track" class="none">
    <h2>Balance</h2>
    <p class="soft">
      Choose a clip to see what acts on its level at the playhead, and to set its gain, level line and fades. Choose a
      track for its fader and pan.
    </p>
  </div>
  <p v-else-if="!chosen" class="soft hint">Choose a clip to set its gain, level line and fades.</p>
  <hr class="panel-rule" />
  <button v-if="!rooming" class="plain-button wide" @click="rooming = true">Make room for speech…</button>
  <MakeRoom v-else class="evening" @done="rooming = false" />
  <button class="plain-button wide" :aria-expanded="evening" @click="evening = !evening">
    {{ evening ? "Done with evening out" : "Even out voices…" }}
  </button>
  <EvenOut v-if="evening" class="evening" />
</template>

<style scoped>
h2 {
  padding-right: 22px;
  font-size: var(--type-head);
}
h3 {
  margin-bottom: 4px;
  font-size: var(--type-body);
}
.lines {
  display: flex;
  align-items: center;
  gap: 6px;
  margin-top: 8px;
  font-size: var(--type-hint);
}
.wide {
  display: block;
  width: 100%;
  margin-top: 6px;
}
.evening {
  margin-top: 10px;
}
.hint {
  margin-top: 6px;
  font-size: var(--type-hint);
}
.none {
  display: grid;
  gap: 10px;
}
</style>
