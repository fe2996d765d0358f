<script setup lang="ts">
import { nextTick, onMounted, ref } from "vue";
import { api, ask, type Schema } from "../api/client";
import PickList from "../desk/widgets/PickList.vue";
import { whenText } from "../model/units";
import { tell } from "../talk/tell";

/** Tokens by which programs are let in as oneself. */
const tokens = ref<Schema["Token"][]>([]);
const shows = ref<Schema["Show"][]>([]);
const made = ref<Schema["MadeToken"]>();
const name = ref("");
const reach = ref("all");
const only = ref("");

async function load(): Promise<void> {
  try {
    [tokens.value, shows.value] = await Promise.all([
      ask(api.GET("/me/tokens")).then((l) => l ?? []),
      ask(api.GET("/shows")).then((l) => l ?? []),
    ]);
  } catch (error) {
    tell(error);
  }
}

async function make(): Promise<void> {
  try {
    const body = { name: name.value, looks: reach.value === "looks", show: only.value || undefined };
    made.value = await ask(api.POST("/me/tokens", { body }));
    name.value = "";
    await load();
    await nextTick();
    document.querySelector<HTMLInputElement>("#made-token")?.select();
  } catch (error) {
    tell(error);
  }
}

async function end(id: string): Promise<void> {
  try {
    await ask(api.DELETE("/me/tokens/{mine}", { params: { path: { mine: id } } }));
    if (made.value?.id === id) made.value = undefined;
  } catch (error) {
    tell(error);
  }
  await load();
}

const nameOf = (show: string | undefined) => shows.value.find((s) => s.id === show)?.name ?? "one show";
onMounted(load);
</script>

<template>
  <p>A program that sends one is let in as you: <span class="figures">Authorization: Bearer …</span></p>
  <form class="new" @submit.prevent="make">
    <input
      v-model="name"
      class="text-field"
      maxlength="60"
      placeholder="What is it for?"
      aria-label="What is it for?"
    />
    <PickList
      v-model="reach"
      label="How far it reaches"
      :options="[
        { value: 'all', name: 'does what you may' },
        { value: 'looks', name: 'looks, changes nothing' },
      ]"
    />
    <PickList
      v-model="only"
      label="In which show"
      :options="[{ value: '', name: 'in all shows' }, ...shows.map((s) => ({ value: s.id, name: s.name }))]"
    />
    <button class="plain-button" type="submit" :disabled="!name.trim()">Make a token</button>
  </form>
  <div v-if="made" role="status" class="made">
    <p>This is shown once. Put it where the program finds it, and nobody else does.</p>
    <input id="made-token" class="text-field figures" readonly :value="made.said" aria-label="The token" />
  </div>
  <ul class="plain-list" aria-label="Your tokens">
    <li v-for="t in tokens" :key="t.id">
      <span class="who"
        ><b class="cut">{{ t.name }}</b>
        <span class="soft"
          >{{ t.looks ? "looks" : "does what you may" }}{{ t.show ? `, in ${nameOf(t.show)}` : "" }} · made
          {{ whenText(t.made) }} · {{ t.used ? `used ${whenText(t.used)}` : "not used yet" }}</span
        ></span
      >
      <button class="plain-button" :aria-label="`End the token ${t.name}`" @click="end(t.id)">End it</button>
    </li>
  </ul>
</template>

<style scoped src="./row.css"></style>
<style scoped>
.new {
  display: grid;
  grid-template-columns: minmax(140px, 1fr) 190px 150px auto;
  align-items: center;
  gap: 8px;
}
.made,
.who {
  display: grid;
}
.made {
  gap: 6px;
}
@media (max-width: 700px) {
  .new {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
