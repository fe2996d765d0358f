<script setup lang="ts">
import { ref } from "vue";
import { api, ask, type Refusal } from "../api/client";
import { tell } from "../talk/tell";
import { useMe } from "./me";

/** Another password, which ends all other sessions. */
const me = useMe();
const old = ref("");
const next = ref("");
const problem = ref("");

async function change(): Promise<void> {
  problem.value = "";
  try {
    me.set(await ask(api.POST("/me/password", { body: { old: old.value, new: next.value } })));
    old.value = next.value = "";
    tell("Your password is changed. All other sessions have ended.", "success");
  } catch (error) {
    problem.value = (error as Refusal).message;
  }
}
</script>

<template>
  <form class="form" @submit.prevent="change">
    <label for="old-password">Your password now</label>
    <input
      id="old-password"
      v-model="old"
      class="text-field"
      type="password"
      autocomplete="current-password"
      required
    />
    <label for="next-password">The new one</label>
    <input id="next-password" v-model="next" class="text-field" type="password" autocomplete="new-password" required />
    <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
    <button class="plain-button" type="submit" :disabled="!old || !next">Change the password</button>
  </form>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: max-content minmax(0, 300px);
  gap: 8px 12px;
  align-items: center;
}
.form > .alarm,
.form > button {
  grid-column: 2;
  justify-self: start;
}
</style>
