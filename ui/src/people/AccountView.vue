<script setup lang="ts">
import { onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, ask } from "../api/client";
import { usePageTitle } from "../talk/pageTitle";
import { tell } from "../talk/tell";
import EverybodyList from "./EverybodyList.vue";
import { useMe } from "./me";
import PasswordForm from "./PasswordForm.vue";
import PersonCircle from "./PersonCircle.vue";
import TokenList from "./TokenList.vue";

/** What is one's own: name, password, sessions, tokens; and, for who looks after this Ruvel, everybody. */
const me = useMe();
const router = useRouter();
const name = ref("");
usePageTitle(() => ["Your account"]);
onMounted(() => (name.value = me.person?.name ?? ""));

function leave(everywhere: boolean): void {
  void me.signOut(everywhere).then(() => router.push("/sign-in"), tell);
}

async function call(): Promise<void> {
  try {
    me.set(await ask(api.PATCH("/me", { body: { name: name.value } })));
    tell("This is what you are called from now on.", "success");
  } catch (error) {
    tell(error);
  }
}
</script>

<template>
  <div class="account">
    <header>
      <router-link class="brand" to="/" title="To the shelf">ruvel</router-link>
      <button class="plain-button account" @click="leave(false)">Sign out</button>
    </header>
    <main v-if="me.person">
      <h1 tabindex="-1" class="title"><PersonCircle :letters="me.person.letters" own />{{ me.person.name }}</h1>
      <p v-if="me.me?.signIn" class="soft">You sign in as {{ me.me.signIn }}.</p>
      <form class="line" @submit.prevent="call">
        <label for="my-name">What you are called</label>
        <input id="my-name" v-model="name" class="text-field" maxlength="60" />
        <button class="plain-button" type="submit" :disabled="!name.trim() || name === me.person.name">Save</button>
      </form>
      <h2>Password</h2>
      <PasswordForm />
      <h2>Sessions</h2>
      <p>Signed in on a machine that is not yours, or that is lost? End all of them, this one too.</p>
      <button class="plain-button all" @click="leave(true)">End all sessions</button>
      <h2>Tokens for programs</h2>
      <TokenList />
      <template v-if="me.person.keeper">
        <h2>Everybody here</h2>
        <EverybodyList />
      </template>
    </main>
  </div>
</template>

<style scoped src="./page.css"></style>
<style scoped>
.title {
  display: flex;
  align-items: center;
  gap: 10px;
}
.line {
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr) auto;
  gap: 10px;
  align-items: center;
}
.all {
  justify-self: start;
}
</style>
