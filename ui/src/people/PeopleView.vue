<script setup lang="ts">
import { computed, nextTick, onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, ask, type Refusal, type Schema } from "../api/client";
import PickList from "../desk/widgets/PickList.vue";
import { usePageTitle } from "../talk/pageTitle";
import { tell } from "../talk/tell";
import AccountMenu from "./AccountMenu.vue";
import InvitedRow from "./InvitedRow.vue";
import { useMe } from "./me";
import MemberRow from "./MemberRow.vue";
import { ROLES, type Role } from "./roles";

/** The people of a show: who may do what, and whom its owners invite. */
const props = defineProps<{ show: string }>();
const router = useRouter();
const me = useMe();
const current = ref<Schema["Show"]>();
const there = ref<Schema["OfShow"]>();
const problem = ref("");
const role = ref<Role>("producer");
const note = ref("");
const made = ref<Schema["Invited"]>();
usePageTitle(() => ["People", current.value?.name]);

const params = computed(() => ({ path: { show: props.show } }));
const owner = computed(() => there.value?.yours === "owner");
const link = computed(() => (made.value?.link ? `${location.origin}/join#${made.value.link}` : ""));
const roles = ROLES.map((r) => ({ value: r.key, name: `${r.name}: ${r.may}` }));

async function load(): Promise<void> {
  try {
    const [shows, people] = await Promise.all([
      ask(api.GET("/shows")),
      ask(api.GET("/shows/{show}/people", { params: params.value })),
    ]);
    current.value = shows?.find((s) => s.id === props.show);
    there.value = people;
    problem.value = "";
  } catch (error) {
    problem.value = (error as Refusal).message;
  }
}

async function act(request: Promise<unknown>): Promise<boolean> {
  try {
    await request;
    await load();
    return true;
  } catch (error) {
    tell(error);
    await load();
    return false;
  }
}

async function invite(): Promise<void> {
  try {
    const body = { role: role.value, note: note.value };
    made.value = await ask(api.POST("/shows/{show}/people", { params: params.value, body }));
    note.value = "";
    await load();
    await nextTick();
    document.querySelector<HTMLInputElement>("#made-link")?.select();
  } catch (error) {
    tell(error);
  }
}

const memberOf = (person: string) => ({ path: { show: props.show, person } });
const setRole = (person: string, to: Role) =>
  act(ask(api.PUT("/shows/{show}/people/{person}", { params: memberOf(person), body: { role: to } })));
const remove = (person: string) => act(ask(api.DELETE("/shows/{show}/people/{person}", { params: memberOf(person) })));
const takeBack = (invitation: string) =>
  act(
    ask(
      api.DELETE("/shows/{show}/invitations/{invitation}", { params: { path: { show: props.show, invitation } } }),
    ).then(() => made.value?.id === invitation && (made.value = undefined)),
  );

async function leave(): Promise<void> {
  try {
    await ask(api.POST("/shows/{show}/leave", { params: params.value }));
    await router.push("/");
  } catch (error) {
    tell(error);
  }
}

onMounted(load);
</script>

<template>
  <div class="people">
    <header>
      <router-link class="brand" to="/" title="To the shelf">ruvel</router-link>
      <router-link v-if="current" :to="`/shows/${current.id}`" class="back cut">{{ current.name }}</router-link>
      <AccountMenu class="account" />
    </header>
    <main>
      <p v-if="problem" class="problem" role="alert">
        {{ problem }} <button class="plain-button" @click="load">Try again</button>
      </p>
      <template v-else>
        <h1 tabindex="-1">People</h1>
        <p v-if="!there" class="soft">Fetching the people…</p>
        <template v-else>
          <form v-if="owner" class="invite" @submit.prevent="invite">
            <h2>Invite somebody</h2>
            <label for="invite-note">Whom is it for?</label>
            <input id="invite-note" v-model="note" class="text-field" maxlength="60" placeholder="The archivist" />
            <label for="invite-role">As</label>
            <PickList id="invite-role" v-model="role" label="As" :options="roles" />
            <button type="submit" class="plain-button filled">Make a link</button>
            <div v-if="made" class="made" role="status">
              <p>Send this link to {{ made.note || "them" }}. It is shown once, and good once, for seven days.</p>
              <input id="made-link" class="text-field figures" readonly :value="link" aria-label="The link" />
            </div>
          </form>
          <h2>In this show</h2>
          <ul class="plain-list" aria-label="People of the show">
            <MemberRow
              v-for="m in there.members"
              :key="m.id"
              :member="m"
              :own="m.id === me.person?.id"
              :changes="owner"
              @role="setRole(m.id, $event)"
              @remove="remove(m.id)"
            />
          </ul>
          <template v-if="owner && there.invited.length > 0">
            <h2>Invited</h2>
            <ul class="plain-list" aria-label="Invitations">
              <InvitedRow v-for="i in there.invited" :key="i.id" :invited="i" @back="takeBack(i.id)" />
            </ul>
          </template>
          <button v-if="there.yours" class="plain-button leave" @click="leave">Leave this show</button>
        </template>
      </template>
    </main>
  </div>
</template>

<style scoped src="./page.css"></style>
<style scoped>
.invite {
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: 8px 12px;
  align-items: center;
  padding: 14px 16px 16px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius-large);
  background: var(--sheet);
}
.invite h2,
.made {
  grid-column: 1 / 3;
}
.invite h2 {
  margin: 0;
}
.invite .plain-button {
  grid-column: 2;
  justify-self: start;
}
.made {
  display: grid;
  gap: 6px;
}
.leave {
  justify-self: start;
  margin-top: 18px;
}
</style>
