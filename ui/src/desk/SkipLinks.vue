<script setup lang="ts">
import { nextTick } from "vue";
import { useDeskContext } from "./state/context";

/** Ways past what one has heard already: seen when they have the focus. */
const desk = useDeskContext();

function toPanel(): void {
  desk.panelOpen.value = true;
  void nextTick(() => document.querySelector<HTMLElement>(".panel [role=tab][aria-selected=true], .panel")?.focus());
}
</script>

<template>
  <div class="skips" role="navigation" aria-label="On this page">
    <button class="plain-button" @click="desk.timeline.value?.comeIn()">To the timeline</button>
    <button class="plain-button" @click="toPanel">To the panel</button>
    <button class="plain-button" @click="desk.finder.value = true">Find an act</button>
  </div>
</template>

<style scoped>
.skips {
  position: absolute;
  z-index: 40;
  top: 6px;
  left: 6px;
  display: flex;
  gap: 6px;
}
.skips:not(:focus-within) {
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
