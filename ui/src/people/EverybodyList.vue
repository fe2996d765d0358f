<script setup lang="ts">
import { ElDialog } from "element-plus";
import { onMounted, ref } from "vue";
import { api, ask, type Schema } from "../api/client";
import { tell } from "../talk/tell";
import { useMe } from "./me";
import PersonCircle from "./PersonCircle.vue";

/** All people of this Ruvel, for who looks after it. */
const me = useMe();
const people = ref<Schema["Person"][]>([]);
const going = ref<Schema["Person"]>();
const renewed = ref<{ name: string; link: string }>();

async function load(): Promise<void> {
  try {
    people.value = (await ask(api.GET("/people"))) ?? [];
  } catch (error) {
    tell(error);
  }
}

async function renew(p: Schema["Person"]): Promise<void> {
  try {
    const { link } = await ask(api.POST("/people/{somebody}/renew", { params: { path: { somebody: p.id } } }));
    renewed.value = { name: p.name, link: `${location.origin}/join#${link}` };
  } catch (error) {
    tell(error);
  }
}

async function remove(): Promise<void> {
  const p = going.value!;
  going.value = undefined;
  try {
    await ask(api.DELETE("/people/{somebody}", { params: { path: { somebody: p.id } } }));
  } catch (error) {
    tell(error);
  }
  await load();
}

onMounted(load);
</script>

<template>
  <p>Who has forgotten their password gets a link from you by which they give a new one: good once, for a day.</p>
  <div v-if="renewed" role="status" class="made">
    <p>Send this link to {{ renewed.name }}. It is shown once.</p>
    <input class="text-field figures" readonly :value="renewed.link" aria-label="The link" />
  </div>
  <ul class="plain-list" aria-label="Everybody">
    <li v-for="p in people" :key="p.id">
      <PersonCircle :letters="p.letters" :own="p.id === me.person?.id" />
      <span class="who cut">{{ p.name }}</span>
      <template v-if="p.id !== me.person?.id">
        <button class="plain-button" :aria-label="`Make a link for a new password of ${p.name}`" @click="renew(p)">
          New password
        </button>
        <button class="plain-button" :aria-label="`Let ${p.name} in no more`" @click="going = p">Let in no more</button>
      </template>
    </li>
  </ul>
  <el-dialog
    :model-value="going !== undefined"
    :title="`Let ${going?.name} in no more?`"
    width="420"
    @close="going = undefined"
  >
    <p>Their sessions and tokens end at once, and they are of no show any more. Their name stays on what they made.</p>
    <div class="answers">
      <button class="plain-button" @click="going = undefined">Cancel</button>
      <button class="plain-button filled" @click="remove">Let in no more</button>
    </div>
  </el-dialog>
</template>

<style scoped src="./row.css"></style>
<style scoped>
.made {
  display: grid;
  gap: 6px;
}
.answers {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  margin-top: 16px;
}
</style>
