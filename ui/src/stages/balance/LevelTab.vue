<script setup lang="ts">
import { computed } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { chosenOn } from "./chosen";
import ClipFades from "./ClipFades.vue";
import ClipGain from "./ClipGain.vue";
import DipCard from "./DipCard.vue";
import LevelHere from "./LevelHere.vue";
import LinePoints from "./LinePoints.vue";
import TrackLevels from "./TrackLevels.vue";

/** What acts on the level of the chosen clip and track: gain, level line, dip, fades, fader. */
const desk = useDeskContext();
const { clip, track } = chosenOn(desk);
/** The line whose points are typed: the track's while those of tracks are shown, or the clip's. */
const line = computed(() => (desk.lines.value.tracks ? track.value?.id : clip.value?.id));
const ofTracks = computed({
  get: () => desk.lines.value.tracks,
  set: (tracks) => (desk.lines.value = { ...desk.lines.value, tracks }),
});
</script>

<template>
  <template v-if="clip">
    <LevelHere :id="clip.id" :track="clip.track" />
    <hr class="panel-rule" />
    <h3>Clip</h3>
    <ClipGain :id="clip.id" :clip="clip.clip" />
    <hr class="panel-rule" />
  </template>
  <template v-if="line">
    <LinePoints :id="line" />
    <hr class="panel-rule" />
  </template>
  <template v-if="clip">
    <template v-if="clip.track.part !== 'voice'">
      <DipCard :id="line ?? clip.id" />
      <hr class="panel-rule" />
    </template>
    <ClipFades :id="clip.id" :clip="clip.clip" />
    <hr class="panel-rule" />
  </template>
  <TrackLevels v-if="track" :track="track" />
  <label v-if="track" class="lines">
    <input v-model="ofTracks" type="checkbox" /> Show the level lines of tracks (V)
  </label>
  <p v-if="!clip && !track" class="soft">
    Choose a clip to see what acts on its level at the playhead, and to set its gain, level line and fades. Choose a
    track for its fader and pan.
  </p>
  <p v-else-if="!clip" class="soft hint">Choose a clip to set its gain, level line and fades.</p>
</template>

<style scoped>
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
.hint {
  margin-top: 6px;
  font-size: var(--type-hint);
}
</style>
