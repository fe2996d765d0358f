<script setup lang="ts">
import { watch } from "vue";
import { useRoute } from "vue-router";
import { goOn, useFocusKeeper } from "./talk/focus";
import { useMe } from "./people/me";
import SignInAgain from "./people/SignInAgain.vue";
import SaidAloud from "./talk/SaidAloud.vue";

/** Milliseconds that the episodes of a shelf may take to be listed. */
const LISTED = 1500;
useFocusKeeper();
const route = useRoute();
const me = useMe();
/** Another view begins at its heading. */
watch(
  () => route.path,
  (_, before) => {
    if (!before) return;
    const since = performance.now();
    // Back on the shelf one goes on where one was.
    goOn(() => {
      const was = document.querySelector<HTMLElement>(`main a[href="${CSS.escape(before)}"]`);
      const waits = before.startsWith("/episodes/") && performance.now() - since < LISTED;
      const begins = document.querySelector<HTMLElement>("main h2[tabindex]") ?? document.querySelector("h1[tabindex]");
      return was ?? (waits ? undefined : (begins as HTMLElement | null));
    });
  },
);
</script>

<template>
  <router-view v-slot="{ Component, route: to }">
    <component :is="Component" :key="to.params.episode ?? 'shelf'" />
  </router-view>
  <SignInAgain v-if="me.person" />
  <SaidAloud />
</template>
