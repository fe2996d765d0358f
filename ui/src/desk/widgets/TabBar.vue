<script setup lang="ts" generic="Key extends string">
/** The tabs of a stage's panel. */
const props = defineProps<{ tabs: { key: Key; name: string }[]; label: string; prefix: string }>();
const current = defineModel<Key>({ required: true });

function step(event: KeyboardEvent): void {
  const by = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
  if (!by) return;
  event.preventDefault();
  event.stopPropagation();
  const at = props.tabs.findIndex((t) => t.key === current.value);
  const next = props.tabs[(at + by + props.tabs.length) % props.tabs.length]!;
  current.value = next.key;
  document.getElementById(`${props.prefix}-${next.key}`)?.focus();
}
</script>

<template>
  <div class="tabs" role="tablist" :aria-label="label" @keydown="step">
    <button
      v-for="t in tabs"
      :id="`${prefix}-${t.key}`"
      :key="t.key"
      role="tab"
      :aria-controls="current === t.key ? `${prefix}-panel` : undefined"
      :aria-selected="current === t.key"
      :tabindex="current === t.key ? 0 : -1"
      @click="current = t.key"
    >
      {{ t.name }}<slot name="mark" :tab="t.key"></slot>
    </button>
  </div>
</template>

<style scoped>
.tabs {
  display: grid;
  grid-auto-columns: auto;
  grid-auto-flow: column;
  margin: 10px 0 12px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius);
  overflow: hidden;
}
.tabs button {
  padding: 5px 2px;
  border: 0;
  border-right: 1px solid var(--rule-strong);
  background: none;
  font-size: var(--type-text);
  cursor: pointer;
}
.tabs button:last-child {
  border-right: 0;
}
.tabs button[aria-selected="true"] {
  background: var(--ink);
  color: var(--ink-inverse);
  font-weight: 600;
}
.tabs button:focus-visible {
  outline-offset: -3px;
}
</style>
