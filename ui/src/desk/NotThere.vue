<script setup lang="ts">
/** Stands where a part of the page did not come. */
defineEmits<{ again: [] }>();
const reload = () => location.reload();
</script>

<template>
  <div class="not-there" role="alert">
    <p>This part of the page did not come: the server cannot be reached, or is a newer one than the page.</p>
    <p class="soft">Nothing that you did is lost by that.</p>
    <p class="both">
      <button class="plain-button" @click="$emit('again')">Try again</button>
      <button class="plain-button" @click="reload">Load the whole page anew</button>
    </p>
  </div>
</template>

<style scoped>
.not-there {
  padding: 14px 0;
}
.both {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
</style>
