<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, useTemplateRef, watch } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { figure } from "../../model/units";
import { useBalance } from "../../stores/balance";
import { chosenOn } from "./chosen";
import MakeRoom from "./MakeRoom.vue";
import MakingWay from "./MakingWay.vue";
import SpeechHeard from "./SpeechHeard.vue";

/** Room for speech: in the whole show, and how the chosen track makes way for it. */
const desk = useDeskContext();
const balance = useBalance();
const { clip, track } = chosenOn(desk);
const top = useTemplateRef<HTMLElement>("top");
const missed = computed(() => (balance.shown?.misses ?? []).filter((m) => !m.excused).length);
const said = computed(() => {
  const { typical, lowest } = balance.shown ?? {};
  if (typical === undefined) return "Nobody is heard to speak yet.";
  const places =
    missed.value === 0 ? "no place misses" : missed.value === 1 ? "one place misses" : `${missed.value} places miss`;
  return `The voice leads by ${figure(typical)} LU, at its lowest by ${figure(lowest ?? 0)}; ${places} what is aimed at.`;
});
onBeforeUnmount(() => (desk.rooming.value = false));
// Asked for from elsewhere, it opens where it is seen.
watch(
  () => desk.rooming.value,
  (on) => on && void nextTick(() => top.value?.scrollIntoView({ block: "start" })),
);
</script>

<template>
  <div ref="top">
    <MakeRoom v-if="desk.rooming.value" @done="desk.rooming.value = false" />
    <template v-else>
      <p class="soft said">{{ said }}</p>
      <button class="plain-button wide" :class="{ filled: missed > 0 }" @click="desk.rooming.value = true">
        Make room for speech…
      </button>
    </template>
  </div>
  <template v-if="track">
    <hr class="panel-rule" />
    <MakingWay v-if="track.part !== 'voice'" :track="track" />
    <SpeechHeard v-else-if="clip" :clip="clip.clip" />
    <p v-else class="soft said">
      {{ track.name }} is a voice: others make way for it. Choose one of its clips to see what is heard in it as speech.
    </p>
  </template>
  <p v-else class="soft said">Choose a track for music or effects to set how it makes way.</p>
</template>

<style scoped>
.said {
  font-size: var(--type-hint);
}
.wide {
  display: block;
  width: 100%;
  margin-top: 8px;
}
</style>
