<script setup lang="ts">
import PickList from "../desk/widgets/PickList.vue";
import { usePageTitle } from "../talk/pageTitle";
import { toFirstField } from "../talk/firstField";
import { ElDialog } from "element-plus";
import { computed, onMounted, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, ask, type Refusal, type Schema } from "../api/client";
import AlongList from "./AlongList.vue";
import { removeIfMeant } from "../shelf/removing";
import { owns } from "../people/roles";
import LayoutCard from "./LayoutCard.vue";
import { tell } from "../talk/tell";

/** The house sound of a show: its layouts, and the episodes that can be brought along with what has changed in them. */
const props = defineProps<{ show: string }>();
const router = useRouter();
const current = ref<Schema["Show"]>();
const layouts = ref<Schema["Layout"][]>();
const episodes = ref<Schema["Episode"][]>([]);
const along = ref<Schema["Bringable"][]>([]);
const problem = ref("");
/** What is being named: an empty layout, one taken from an episode, or an episode that begins as a layout. */
const asking = ref<{ what: "layout" | "episode"; layout?: string }>();
usePageTitle(() => ["House sound", current.value?.name]);
const name = ref("");
const from = ref("");
const origins = computed(() => [
  ...episodes.value.map((e) => ({ value: e.id, name: `${e.number} · ${e.title}` })),
  { value: "", name: "nothing: an empty layout" },
]);

const params = computed(() => ({ path: { show: props.show } }));

async function load(): Promise<void> {
  try {
    const [shows, there, all, behind] = await Promise.all([
      ask(api.GET("/shows")),
      ask(api.GET("/shows/{show}/layouts", { params: params.value })),
      ask(api.GET("/shows/{show}/episodes", { params: params.value })),
      ask(api.GET("/shows/{show}/along", { params: params.value })),
    ]);
    current.value = shows?.find((s) => s.id === props.show);
    layouts.value = there ?? [];
    episodes.value = all ?? [];
    along.value = behind ?? [];
    problem.value = current.value ? "" : "There is no such show.";
  } catch (error) {
    problem.value = (error as Refusal).message;
  }
}

function question(what: "layout" | "episode", layout?: string): void {
  name.value = "";
  from.value = what === "layout" ? (episodes.value[0]?.id ?? "") : "";
  asking.value = { what, layout };
}

async function answer(): Promise<void> {
  const what = asking.value;
  if (!what || !name.value.trim()) return;
  asking.value = undefined;
  try {
    if (what.what === "layout") {
      const body = { name: name.value, from: from.value || undefined };
      await ask(api.POST("/shows/{show}/layouts", { params: params.value, body }));
      await load();
    } else {
      const body = { title: name.value, layout: what.layout };
      const made = await ask(api.POST("/shows/{show}/episodes", { params: params.value, body }));
      await router.push(`/episodes/${made.id}`);
    }
  } catch (error) {
    asking.value = what;
    tell(error);
  }
}

async function remove(layout: Schema["Layout"]): Promise<void> {
  const gone = `“${layout.title}” is removed from the house sound, with its history. Episodes that began as it stay as they are; they can no longer be brought along.`;
  if (await removeIfMeant(layout.id, { title: "Remove this layout?", gone, what: "layout" })) await load();
}

onMounted(load);
watch(() => props.show, load);
</script>

<template>
  <div class="house">
    <header>
      <router-link class="brand" to="/" title="To the shelf">ruvel</router-link>
      <router-link v-if="current" :to="`/shows/${current.id}`" class="back cut">{{ current.name }}</router-link>
    </header>
    <main>
      <p v-if="problem" class="problem" role="alert">
        {{ problem }} <button class="plain-button" @click="load">Try again</button>
      </p>
      <template v-else>
        <div class="title">
          <h1 tabindex="-1">House sound</h1>
          <p class="soft">What every episode has: music, tracks and their treatment, and places for what is said.</p>
          <button v-if="owns(current)" class="plain-button filled" @click="question('layout')">New layout</button>
        </div>
        <p v-if="!layouts" class="soft">Fetching the house sound…</p>
        <div v-else-if="layouts.length === 0" class="empty">
          <p>
            There is no layout yet. Take one from an episode that came out well: its music and settings stay, what was
            said becomes empty places. New episodes then begin with half of the work done.
          </p>
          <button v-if="owns(current)" class="plain-button filled" @click="question('layout')">
            {{ episodes.length > 0 ? "Take one from an episode" : "Begin with an empty one" }}
          </button>
        </div>
        <ul v-else class="plain-list layouts" aria-label="Layouts">
          <LayoutCard
            v-for="l in layouts"
            :key="l.id"
            :layout="l"
            :owned="owns(current)"
            @begin="question('episode', l.id)"
            @remove="remove(l)"
          />
        </ul>
        <AlongList v-if="along.length > 0" :along="along" @brought="load" />
        <section v-if="layouts && layouts.length > 0" class="also soft">
          <h2>Kept with the show besides</h2>
          <p>
            What is said of all episodes, own delivery targets, the limits of Check and own treatments are kept where
            they are used: under Hand over, Check and Balance of any episode. All episodes of the show have them.
          </p>
        </section>
      </template>
    </main>
    <el-dialog
      :model-value="asking !== undefined"
      :title="asking?.what === 'layout' ? 'New layout' : 'New episode'"
      width="440"
      @opened="toFirstField"
      @close="asking = undefined"
    >
      <form @submit.prevent="answer">
        <label for="house-name">{{
          asking?.what === "layout" ? "What kind of episode is it for?" : "What is the episode called?"
        }}</label>
        <input id="house-name" v-model="name" class="text-field" maxlength="200" autocomplete="off" />
        <template v-if="asking?.what === 'layout'">
          <label for="house-from">Taken from</label>
          <PickList id="house-from" v-model="from" label="Taken from" :options="origins" />
        </template>
        <div class="answers">
          <button type="button" class="plain-button" @click="asking = undefined">Cancel</button>
          <button type="submit" class="plain-button filled" :disabled="!name.trim()">
            {{ asking?.what === "layout" ? "Save the layout" : "Make the episode" }}
          </button>
        </div>
      </form>
    </el-dialog>
  </div>
</template>

<style scoped>
.house {
  display: grid;
  grid-template-rows: var(--header-height) 1fr;
  height: 100%;
}
header {
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 0 18px;
  background: var(--sheet);
  border-bottom: 1px solid var(--rule-strong);
}
.brand {
  color: inherit;
  font-size: var(--type-title);
  font-weight: 700;
  text-decoration: none;
}
.back {
  color: var(--ink-soft);
}
main {
  overflow-y: auto;
  padding: 22px 30px 40px;
}
main > * {
  max-width: 1080px;
}
.title {
  display: grid;
  grid-template-columns: 1fr auto;
  align-items: center;
  gap: 2px 20px;
  margin-bottom: 16px;
}
.title h1 {
  font-size: var(--type-page);
}
.title p {
  grid-row: 2;
  margin: 0;
}
.title button {
  grid-row: 1 / 3;
  grid-column: 2;
}
.layouts {
  display: grid;
  gap: 14px;
}
.empty {
  display: grid;
  justify-items: center;
  gap: 16px;
  padding: 70px 20px;
  text-align: center;
}
.empty p {
  max-width: 520px;
}
.also {
  margin-top: 26px;
  font-size: var(--type-text);
}
.also h2 {
  font-size: var(--type-body);
}
.problem {
  color: var(--alarm);
}
label {
  display: block;
  margin: 10px 0 6px;
}
label:first-child {
  margin-top: 0;
}
.answers {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  margin-top: 18px;
}
</style>
