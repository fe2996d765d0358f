<script setup lang="ts">
import { MonitorCog, Moon, Sun } from "lucide-vue-next";
import { computed } from "vue";
import { light, type Light } from "../model/night";

/** Day, night, or whichever the system wishes for. */
const NEXT: Record<Light, Light> = { system: "night", night: "day", day: "system" };
const WORDS: Record<Light, string> = { system: "Light as the system wishes", night: "Night desk", day: "Day desk" };
const SIGNS = { system: MonitorCog, night: Moon, day: Sun };
const said = computed(() => `${WORDS[light.value]}; change to: ${WORDS[NEXT[light.value]].toLowerCase()}`);
</script>

<template>
  <button class="light" :aria-label="said" :title="said" @click="light = NEXT[light]">
    <component :is="SIGNS[light]" :size="17" aria-hidden="true" />
  </button>
</template>

<style scoped>
.light {
  display: grid;
  padding: 4px;
  border: 0;
  background: none;
  color: inherit;
  cursor: pointer;
}
</style>
