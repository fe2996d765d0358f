<script setup lang="ts">
import { useDeskContext } from "../../desk/state/context";
import { chosenOn } from "./chosen";
import TrackTreatment from "./TrackTreatment.vue";

/** The stages that the chosen track goes through. */
const { track } = chosenOn(useDeskContext());
</script>

<template>
  <TrackTreatment v-if="track" :track="track" />
  <p v-else class="soft">
    Choose a track, or a clip on it, to set its low cut, gate, expander, compressor and limiter.
  </p>
</template>
