<script setup lang="ts">
import { computed, onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, ask, type Refusal, type Schema } from "../api/client";
import { whenText } from "../model/units";
import { usePageTitle } from "../talk/pageTitle";
import CardPage from "./CardPage.vue";
import { useMe } from "./me";
import { awayWith } from "./outside";
import { ROLES, roleName } from "./roles";

/** Behind a link that is good once. What stands in it is never sent as an address. */
const link = location.hash.slice(1);
const me = useMe();
const router = useRouter();
const offer = ref<Schema["Offer"]>();
const problem = ref("");
const gone = ref(false);
const asking = ref(false);
const name = ref("");
const signIn = ref("");
const password = ref("");
usePageTitle(() => ["Come in"]);

const renews = computed(() => offer.value?.kind === "renew");
const self = computed(() => (offer.value?.kind === "join" ? me.person : undefined));
const title = computed(() => {
  if (gone.value) return "This link is not good any more";
  if (!offer.value) return "Come in";
  if (offer.value.kind === "first") return "You are the first person here";
  if (renews.value) return `A new password for ${offer.value.name}`;
  return `Come in to “${offer.value.show}”`;
});
const may = computed(() => ROLES.find((r) => r.key === offer.value?.role)?.may ?? "");

onMounted(async () => {
  try {
    offer.value = await ask(api.POST("/invitations/look", { body: { link } }));
  } catch (error) {
    problem.value = (error as Refusal).message;
    gone.value = (error as Refusal).code === "link-used" || (error as Refusal).code === "one-person";
  }
});

async function comeIn(): Promise<void> {
  asking.value = true;
  problem.value = "";
  try {
    const said = self.value ? {} : { name: name.value, signIn: signIn.value, password: password.value };
    me.set(await ask(api.POST("/invitations/accept", { body: { link, ...said } })));
    await router.replace("/");
  } catch (error) {
    problem.value = (error as Refusal).message;
  } finally {
    asking.value = false;
  }
}
</script>

<template>
  <CardPage :title="title">
    <template v-if="offer && !gone">
      <p v-if="offer.kind === 'first'">
        You look after this Ruvel, and own the shows that are in it. Others come in by links that you make.
      </p>
      <p v-else-if="offer.kind === 'join'">
        {{ offer.by || "Somebody" }} invites you as <b>{{ roleName(offer.role).toLowerCase() }}</b>: {{ may }}.
      </p>
      <form class="form" @submit.prevent="comeIn">
        <template v-if="!self">
          <template v-if="!renews">
            <label
              >What you are called here
              <input v-model="name" class="text-field" name="name" autocomplete="name" required />
            </label>
            <label
              >A name to sign in by, such as your mail address
              <input
                v-model="signIn"
                class="text-field"
                name="username"
                autocomplete="username"
                autocapitalize="none"
                required
              />
            </label>
          </template>
          <label
            >{{ renews ? "New password" : "Password" }}
            <input
              v-model="password"
              class="text-field"
              type="password"
              name="password"
              autocomplete="new-password"
              minlength="10"
              aria-describedby="good-password"
              required
            />
          </label>
          <p id="good-password" class="soft small">
            At least ten characters. Four words that have nothing to do with each other are a good one.
          </p>
        </template>
        <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
        <button class="plain-button filled" type="submit" :disabled="asking">
          {{ self ? `Come in as ${self.name}` : renews ? "Set the password" : "Come in" }}
        </button>
        <button
          v-if="me.me?.outside && offer.kind === 'join' && !self"
          class="plain-button"
          type="button"
          @click="awayWith(link).then((said) => (problem = said))"
        >
          Come in with {{ me.me.outside }}
        </button>
      </form>
      <p class="soft small">This link is good once, until {{ whenText(offer.ends) }}.</p>
    </template>
    <template v-else>
      <p v-if="problem" role="alert">{{ problem }}</p>
      <p v-else class="soft" role="status">Looking at the link…</p>
      <router-link v-if="gone" class="plain-button filled" to="/">To the shelf</router-link>
    </template>
  </CardPage>
</template>

<style scoped src="./form.css"></style>
