<script setup lang="ts">
/** Ways past what one has heard already: seen when they have the focus. */
defineProps<{ ways: { name: string; go: () => void }[] }>();
</script>

<template>
  <div class="skips" role="navigation" aria-label="On this page">
    <button v-for="w in ways" :key="w.name" class="plain-button" @click="w.go()">{{ w.name }}</button>
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
