<script setup lang="ts">
/** A page with one question on it, for those who are not in yet. */
defineProps<{ title: string }>();
</script>

<template>
  <main class="page">
    <section class="card">
      <p class="brand" aria-hidden="true">ruvel</p>
      <h1 tabindex="-1">{{ title }}</h1>
      <slot />
    </section>
  </main>
</template>

<style scoped>
.page {
  display: grid;
  place-items: center;
  min-height: 100%;
  padding: 24px 16px;
}
.card {
  display: grid;
  gap: 12px;
  width: min(420px, 100%);
  padding: 26px 28px 28px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius-large);
  background: var(--sheet);
}
.brand {
  font-size: var(--type-title);
  font-weight: 700;
}
h1 {
  font-size: var(--type-lead);
}
</style>
