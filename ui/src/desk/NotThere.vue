<script setup lang="ts">
/** Stands where a part of the page did not come. */
const reload = () => location.reload();
</script>

<template>
  <div class="not-there" role="alert">
    <p>This part of the page did not come: the server could not be reached, or it has been renewed since you opened the page.</p>
    <p class="soft">What you did is kept. Loading the page again brings this part, too.</p>
    <button class="plain-button" @click="reload">Load the page again</button>
  </div>
</template>

<style scoped>
.not-there {
  display: grid;
  gap: 10px;
  justify-items: start;
  padding: 14px 16px;
}
</style>
