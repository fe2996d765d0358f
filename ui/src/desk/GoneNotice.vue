<template>
  <div class="gone" role="alert">
    <p><strong>This episode was removed.</strong> It was taken off the shelf, in another window perhaps.</p>
    <p class="soft">Its sounds are still among those of the show. Nothing that you do here can be kept.</p>
    <router-link class="plain-button filled" to="/">To the shelf</router-link>
  </div>
</template>

<style scoped>
.gone {
  position: absolute;
  inset: var(--header-height) 0 0;
  z-index: 25;
  display: grid;
  place-content: center;
  justify-items: center;
  gap: 12px;
  background: var(--veil);
}
.gone p {
  padding: 6px 14px;
  border-radius: var(--radius);
  background: var(--sheet);
}
.gone a {
  text-decoration: none;
}
</style>
