<script setup lang="ts">
import { useDesk } from "../stores/desk";

/** In the place of a session that is not there yet, or could not be had. */
defineEmits<{ again: [] }>();
const connection = useDesk();
</script>

<template>
  <div v-if="connection.problem" class="fault" role="alert">
    <p>{{ connection.problem.message }}</p>
    <button class="plain-button" @click="$emit('again')">Try again</button>
    <router-link class="plain-button" to="/">To the shelf</router-link>
  </div>
  <p v-else class="fault soft">Laying out the session…</p>
</template>

<style scoped>
.fault {
  display: grid;
  gap: 12px;
  justify-items: center;
  margin: auto;
}
.fault a {
  text-decoration: none;
  color: inherit;
}
</style>
