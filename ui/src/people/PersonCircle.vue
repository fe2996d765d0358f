<script setup lang="ts">
/** The letters that stand for somebody, in a circle. */
defineProps<{ letters: string; name?: string; /** It is oneself. */ own?: boolean; small?: boolean }>();
</script>

<template>
  <span class="circle" :class="{ own, small }" :title="name" aria-hidden="true">{{ letters }}</span>
</template>

<style scoped>
.circle {
  display: inline-grid;
  place-items: center;
  flex: none;
  width: 28px;
  height: 28px;
  border: 1.5px solid var(--ink);
  border-radius: var(--radius-round);
  background: var(--sheet);
  color: var(--ink);
  font-size: var(--type-small);
  font-weight: 700;
  line-height: 1;
}
.circle.small {
  width: 22px;
  height: 22px;
  border-width: 1px;
}
.circle.own {
  background: var(--ink);
  color: var(--ink-inverse);
}
</style>
