<script setup lang="ts"></script>

<template>
  <router-view v-slot="{ Component, route }">
    <component :is="Component" :key="route.params.episode ?? 'shelf'" />
  </router-view>
</template>
