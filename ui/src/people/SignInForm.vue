<script setup lang="ts">
import { ref } from "vue";
import { api, ask, type Refusal } from "../api/client";
import { useMe } from "./me";
import { awayWith } from "./outside";

/** Name and password; or, where there is one, a provider elsewhere. */
const props = defineProps<{ /** What is to be read at once, such as why one came back. */ said?: string }>();
const emit = defineEmits<{ in: [] }>();
const me = useMe();
const name = ref("");
const password = ref("");
const asking = ref(false);
const problem = ref(props.said ?? "");

async function signIn(): Promise<void> {
  asking.value = true;
  problem.value = "";
  try {
    me.set(await ask(api.POST("/sign-in", { body: { name: name.value, password: password.value } })));
    emit("in");
  } catch (error) {
    problem.value = (error as Refusal).message;
    password.value = "";
  } finally {
    asking.value = false;
  }
}

async function away(): Promise<void> {
  problem.value = await awayWith();
}
</script>

<template>
  <form class="form" @submit.prevent="signIn">
    <label>
      Your name
      <input v-model="name" class="text-field" name="username" autocomplete="username" autocapitalize="none" required />
    </label>
    <label>
      Password
      <input
        v-model="password"
        class="text-field"
        type="password"
        name="password"
        autocomplete="current-password"
        required
      />
    </label>
    <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
    <button class="plain-button filled" type="submit" :disabled="asking || !name || !password">Sign in</button>
    <button v-if="me.me?.outside" class="plain-button" type="button" @click="away">
      Sign in with {{ me.me.outside }}
    </button>
    <p class="soft small">
      Forgotten your password? Whoever looks after this Ruvel can make you a link by which you give a new one.
    </p>
  </form>
</template>

<style scoped src="./form.css"></style>
