<script setup lang="ts">
/** The count before a take, over everything. */
defineProps<{ count: number }>();
</script>

<template>
  <div class="count" aria-live="assertive">{{ count || "…" }}</div>
</template>

<style scoped>
.count {
  position: absolute;
  inset: 0;
  z-index: 14;
  display: grid;
  place-items: center;
  background: var(--veil);
  font-size: var(--type-count);
  font-weight: 700;
  pointer-events: none;
}
</style>
