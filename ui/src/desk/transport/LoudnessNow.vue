<script setup lang="ts">
import { figure } from "../../model/units";
import { useDeskContext } from "../state/context";

/** The loudness of what is heard just now. */
const desk = useDeskContext();
const heard = (loudness: number) => (desk.player.state.playing && loudness > -100 ? figure(loudness) : "–");
const readings = [
  { name: "Now", title: "Loudness of the last 0.4 s, in LUFS", of: () => desk.player.state.momentary },
  { name: "3 s", title: "Loudness of the last three seconds, in LUFS", of: () => desk.player.state.shortTerm },
];
</script>

<template>
  <div v-for="r in readings" :key="r.name" class="reading">
    <span class="name">{{ r.name }}</span>
    <span class="figures" :title="r.title">{{ heard(r.of()) }}</span>
  </div>
</template>

<style scoped>
.reading {
  min-width: 3.4em; /* the widest figure, so that nothing moves when it comes */
  white-space: nowrap;
}
.name {
  display: block;
  font-size: var(--type-small);
  color: var(--deck-ink-soft);
}
.figures {
  font-size: var(--type-lead);
  font-weight: 600;
}
</style>
