<script setup lang="ts">
import ShowList from "./ShowList.vue";
import SkipLinks from "../talk/SkipLinks.vue";
import LightSwitch from "../talk/LightSwitch.vue";
import { usePageTitle } from "../talk/pageTitle";
import { ElDropdown, ElDropdownItem, ElDropdownMenu } from "element-plus";
import { MoreHorizontal } from "lucide-vue-next";
import { computed, onMounted, ref, useTemplateRef, watch } from "vue";
import { useRouter } from "vue-router";
import { api, ask, type Refusal, type Schema } from "../api/client";
import ArchiveOpener from "./ArchiveOpener.vue";
import EpisodeRow from "./EpisodeRow.vue";
import { useMaking } from "./making";
import { removeIfMeant } from "./removing";
import ShelfQuestion from "./ShelfQuestion.vue";
import { tell } from "../talk/tell";
import AccountMenu from "../people/AccountMenu.vue";
import { useMe } from "../people/me";
import { makes, owns } from "../people/roles";

const props = defineProps<{ show?: string }>();
const router = useRouter();
const me = useMe();
const shows = ref<Schema["Show"][]>();
const episodes = ref<Schema["Episode"][]>();
const problem = ref("");
const search = ref("");
const asks = useTemplateRef<InstanceType<typeof ShelfQuestion>>("asks");

const current = computed(() => shows.value?.find((s) => s.id === props.show) ?? shows.value?.[0]);
usePageTitle(() => [current.value?.name]);
const found = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  return (episodes.value ?? []).filter((e) => words.every((w) => `${e.number} ${e.title}`.toLowerCase().includes(w)));
});
async function load(): Promise<void> {
  try {
    shows.value = (await ask(api.GET("/shows"))) ?? [];
    problem.value = "";
  } catch (error) {
    problem.value = (error as Refusal).message;
  }
}

async function loadEpisodes(): Promise<void> {
  episodes.value = undefined;
  await freshen();
}

/** Asks for the episodes again, while those that are known stay on the shelf. */
async function freshen(): Promise<void> {
  const show = current.value?.id;
  if (!show) return;
  try {
    const there = (await ask(api.GET("/shows/{show}/episodes", { params: { path: { show } } }))) ?? [];
    if (current.value?.id === show) episodes.value = there; // and no other has been chosen meanwhile
  } catch (error) {
    problem.value = (error as Refusal).message;
  }
}

/** Takes the layout of an episode into the house sound, by its title. */
async function keepLayout(episode: Schema["Episode"]): Promise<void> {
  try {
    const params = { path: { show: episode.show } };
    await ask(api.POST("/shows/{show}/layouts", { params, body: { name: episode.title, from: episode.id } }));
    await router.push(`/shows/${episode.show}/house`);
  } catch (error) {
    tell(error);
  }
}

async function remove(episode: Schema["Episode"]): Promise<void> {
  const gone = `“${episode.title}” is removed with its history, its finished files, and what listeners have of it: links, comments, its place in the feed. The sounds stay with the show.`;
  if (await removeIfMeant(episode.id, { title: "Remove this episode?", gone, what: "episode" })) await loadEpisodes();
}

const ways = [
  { name: "To the episodes", go: () => document.querySelector<HTMLElement>("main h2")?.focus() },
  { name: "Begin an episode", go: () => makes(current.value) && current.value && asks.value?.question("episode") },
  { name: "Begin a show", go: () => asks.value?.question("show") },
];

const { making, followMaking } = useMaking(async () => {
  await load();
  await freshen();
});

onMounted(async () => {
  await load();
  void followMaking();
});
watch(() => current.value?.id, loadEpisodes);
</script>

<template>
  <div class="shelf">
    <SkipLinks :ways="ways" />
    <header>
      <h1 class="brand" tabindex="-1">ruvel</h1>
      <input
        v-model="search"
        class="text-field search"
        type="search"
        placeholder="Find an episode"
        aria-label="Find an episode"
      />
      <LightSwitch />
      <AccountMenu />
    </header>
    <ShowList :shows="shows" :current="current?.id" :begins="me.me?.begins ?? true" @new="asks?.question('show')" />
    <main>
      <p v-if="problem" class="problem" role="alert">
        {{ problem }} <button class="plain-button" @click="load">Try again</button>
      </p>
      <template v-else-if="current">
        <div class="title">
          <h2 class="cut" tabindex="-1" :title="current.name">{{ current.name }}</h2>
          <el-dropdown v-if="owns(current)" trigger="click" @command="asks?.question('rename-show')">
            <button class="more" aria-label="More for this show"><MoreHorizontal :size="18" /></button>
            <template #dropdown>
              <el-dropdown-menu><el-dropdown-item>Rename the show</el-dropdown-item></el-dropdown-menu>
            </template>
          </el-dropdown>
          <span class="push"></span>
          <router-link v-if="makes(current)" class="plain-button house" :to="`/shows/${current.id}/house`"
            >House sound</router-link
          >
          <router-link v-if="me.people" class="plain-button" :to="`/shows/${current.id}/people`">People</router-link>
          <span v-if="makes(current)" class="opener"
            ><ArchiveOpener :key="current.id" :show="current.id" @opened="freshen"
          /></span>
          <button v-if="makes(current)" class="plain-button filled" @click="asks?.question('episode')">
            New episode
          </button>
        </div>
        <div id="opening" aria-live="polite"></div>
        <p v-if="!episodes" class="soft waiting">Fetching the episodes…</p>
        <p v-else-if="episodes.length === 0 && making" class="soft waiting" role="status">
          The sample series is being made: {{ making }}…
        </p>
        <div v-else-if="episodes.length === 0" class="empty">
          <p>There is no episode in this show yet.</p>
          <button v-if="makes(current)" class="plain-button filled" @click="asks?.question('episode')">
            Make the first episode
          </button>
        </div>
        <p v-else-if="found.length === 0" class="empty">No episode matches “{{ search }}”.</p>
        <ul v-else>
          <EpisodeRow
            v-for="e in found"
            :key="e.id"
            :episode="e"
            :role="current.role"
            @remove="remove(e)"
            @keep="keepLayout(e)"
          />
        </ul>
      </template>
      <p v-else-if="shows && making" class="soft waiting" role="status">
        The sample series is being made: {{ making }}…
      </p>
      <div v-else-if="shows" class="empty">
        <template v-if="me.me?.begins ?? true">
          <p>A show keeps its episodes and their sounds together. Make one to begin.</p>
          <button class="plain-button filled" @click="asks?.question('show')">Make the first show</button>
        </template>
        <p v-else>You are of no show yet. Whoever owns one can send you a link.</p>
      </div>
    </main>
    <ShelfQuestion ref="asks" :show="current" :reload="load" />
  </div>
</template>

<style scoped>
.shelf {
  display: grid;
  grid-template: var(--header-height) 1fr / 264px 1fr;
  height: 100%;
}
header {
  grid-column: 1 / 3;
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 0 18px;
  background: var(--sheet);
  border-bottom: 1px solid var(--rule-strong);
}
.brand {
  font-size: var(--type-title);
}
.search {
  width: 320px;
}
main {
  padding: 20px 30px;
  overflow-y: auto;
}
.title {
  display: flex;
  align-items: center;
  gap: 10px;
  margin-bottom: 14px;
}
.title h2 {
  font-size: var(--type-page);
}
.title .filled,
.opener {
  flex: none;
}
.push,
header .search {
  margin-left: auto;
}
header .search {
  margin-right: auto;
}
.house {
  color: inherit;
  text-decoration: none;
}
.more {
  display: grid;
  padding: 4px;
  border: 0;
  background: none;
  cursor: pointer;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
.empty {
  display: grid;
  justify-items: center;
  gap: 16px;
  padding: 90px 20px;
  text-align: center;
}
.problem {
  color: var(--alarm);
}
@media (max-width: 760px) {
  .shelf {
    grid-template: auto auto 1fr / minmax(0, 1fr);
    height: auto;
    min-height: 100%;
  }
  header,
  main {
    grid-column: 1;
  }
  header {
    gap: 10px;
    padding-block: 8px;
  }
  .search {
    flex: 1;
    width: auto;
    min-width: 0;
  }
  main {
    padding: 14px 12px;
  }
  .title {
    flex-wrap: wrap;
  }
  .title h2 {
    max-width: calc(100% - 40px);
  }
  .house {
    margin-left: 0;
  }
}
</style>
