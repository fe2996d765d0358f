<script setup lang="ts">
import { computed, watchEffect } from "vue";
import { useRoute, useRouter } from "vue-router";
import { usePageTitle } from "../talk/pageTitle";
import CardPage from "./CardPage.vue";
import { useMe } from "./me";
import SignInForm from "./SignInForm.vue";

const me = useMe();
const route = useRoute();
const router = useRouter();
usePageTitle(() => ["Sign in"]);
/** Where one was going, if that is a page of ours. */
const going = computed(() => {
  const to = route.query.to;
  return typeof to === "string" && to.startsWith("/") && !to.startsWith("//") ? to : "/";
});
const said = computed(() => (typeof route.query.said === "string" ? route.query.said.slice(0, 300) : ""));
watchEffect(() => {
  if (me.me && (!me.people || me.person) && !said.value) void router.replace(going.value);
});
</script>

<template>
  <CardPage title="Sign in"><SignInForm :said="said" @in="router.replace(going)" /></CardPage>
</template>
