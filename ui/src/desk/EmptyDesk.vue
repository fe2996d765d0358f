<script setup lang="ts">
import { useDeskContext } from "./context";

const desk = useDeskContext();
</script>

<template>
  <div class="empty">
    <h2>Nothing is on the desk yet</h2>
    <p>Drop a voice recording and a piece of music anywhere on this page. Each finds a track of its own.</p>
    <button class="plain-button filled" @click="desk.stage.value = 'gather'">Show the sounds of this show</button>
  </div>
</template>

<style scoped>
.empty {
  display: grid;
  justify-items: center;
  gap: 12px;
  padding: 60px 20px;
  text-align: center;
}
h2 {
  font-size: 18px;
}
</style>
