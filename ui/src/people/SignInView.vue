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
/** Why one has come back from elsewhere without being in: what a link says is not shown as it is. */
const WHY: Record<string, string> = {
  "not-invited": "You are not known here yet. Whoever owns a show can send you a link to come in by.",
  "outside-away": "It does not answer there at the moment. Try again in a while, or sign in by your name.",
  "link-used": "The link that you came by is not good any more. Ask for another one.",
};
const said = computed(() =>
  route.query.why ? (WHY[String(route.query.why)] ?? "Signing in elsewhere did not come off. Try again.") : "",
);
watchEffect(() => {
  if (me.me && (!me.people || me.person) && !said.value) void router.replace(going.value);
});
</script>

<template>
  <CardPage title="Sign in"><SignInForm :said="said" @in="router.replace(going)" /></CardPage>
</template>
