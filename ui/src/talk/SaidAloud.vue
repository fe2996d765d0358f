<script setup lang="ts">
import { said } from "./announce";
</script>

<template>
  <div class="visually-hidden" role="log" aria-live="polite" aria-label="What was done">
    <p v-for="s in said" :key="s.id">{{ s.text }}</p>
  </div>
</template>
