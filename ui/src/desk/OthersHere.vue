<script setup lang="ts">
import { computed } from "vue";
import { timeText } from "../model/units";
import PersonCircle from "../people/PersonCircle.vue";
import { useOthers } from "../stores/others";
import { useDeskContext } from "./state/context";

/** Who else is on this desk. */
const MOST = 4;
const desk = useDeskContext();
const others = useOthers();
const shown = computed(() => others.people.slice(0, MOST));
const more = computed(() => others.people.slice(MOST));
</script>

<template>
  <div v-if="shown.length > 0" class="others" role="group" aria-label="Also here">
    <button
      v-for="p in shown"
      :key="p.person"
      class="other"
      :aria-label="`${p.letters}, ${p.name}, at ${timeText(p.at, 0)}${p.playing ? ', playing' : ''}: go there`"
      :title="`${p.name}, at ${timeText(p.at, 0)}${p.playing ? ', playing' : ''}: go there`"
      @click="desk.seek(p.at)"
    >
      <PersonCircle :letters="p.letters" small />
    </button>
    <span v-if="more.length > 0" class="soft" :title="more.map((p) => p.name).join(', ')">+{{ more.length }}</span>
  </div>
</template>

<style scoped>
.others {
  display: flex;
  align-items: center;
}
.other {
  display: grid;
  min-width: 24px;
  min-height: 24px;
  padding: 1px;
  border: 0;
  background: none;
  cursor: pointer;
}
</style>
