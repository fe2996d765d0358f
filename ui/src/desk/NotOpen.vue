<script setup lang="ts">
import { watch } from "vue";
import { useRouter } from "vue-router";
import { useDesk } from "../stores/desk";

/** In the place of a session that is not there yet, or could not be had. */
defineEmits<{ again: [] }>();
const connection = useDesk();
const props = defineProps<{ episode: string }>();
const router = useRouter();
// Who does not make it hears it, or reads for it.
watch(
  () => connection.problem?.code,
  (code) => code === "not-allowed" && void router.replace(`/episodes/${props.episode}/hear`),
  { immediate: true },
);
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
