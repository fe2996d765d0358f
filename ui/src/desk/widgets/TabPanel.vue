<script setup lang="ts">
/** What a tab shows. */
defineProps<{ prefix: string; current: string }>();
</script>

<template>
  <div :id="`${prefix}-panel`" role="tabpanel" :aria-labelledby="`${prefix}-${current}`">
    <slot></slot>
  </div>
</template>
