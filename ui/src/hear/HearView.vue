<script setup lang="ts">
import { useElementSize, useEventListener, useRafFn } from "@vueuse/core";
import { Pause, Play } from "lucide-vue-next";
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef } from "vue";
import { useRouter } from "vue-router";
import { api, ask, type Refusal, type Schema } from "../api/client";
import { followEpisode } from "../events/following";
import { Player } from "../listening/player";
import { RATE, timeText } from "../model/units";
import NoteCard from "../notes/NoteCard.vue";
import NoteForm from "../notes/NoteForm.vue";
import AccountMenu from "../people/AccountMenu.vue";
import Silhouette from "../shelf/Silhouette.vue";
import { useNotes } from "../stores/notes";
import { usePageTitle } from "../talk/pageTitle";

/** An episode for those who hear it and do not make it: its outline, its sound, and what is noted at its places. */
const props = defineProps<{ episode: string }>();
const router = useRouter();
const notes = useNotes();
const hearing = ref<Schema["Hearing"]>();
const outline = ref<Schema["Silhouette"]>();
const problem = ref("");
const at = ref(0);
const strip = useTemplateRef<HTMLElement>("strip");
const { width } = useElementSize(strip);
const player = new Player(props.episode, () => hearing.value?.version ?? 0);
const length = computed(() => Math.max(1, hearing.value?.length ?? 1));
usePageTitle(() => [hearing.value?.episode.title]);
const params = { path: { episode: props.episode } };

async function load(): Promise<void> {
  try {
    hearing.value = await ask(api.GET("/episodes/{episode}/hearing", { params }));
    const query = { columns: 600 };
    outline.value = await ask(api.GET("/episodes/{episode}/silhouette", { params: { ...params, query } }));
    problem.value = "";
  } catch (error) {
    if ((error as Refusal).code === "not-allowed") return void router.replace(`/episodes/${props.episode}/read`);
    problem.value = (error as Refusal).message;
  }
}

function toggle(): void {
  if (player.state.playing) player.pause();
  else void player.play(at.value >= length.value - RATE / 10 ? 0 : at.value);
}

function seek(frame: number): void {
  at.value = Math.round(Math.min(Math.max(0, frame), length.value));
  if (player.state.playing) void player.play(at.value);
}

function press(event: PointerEvent): void {
  const box = strip.value!.getBoundingClientRect();
  seek(((event.clientX - box.left) / box.width) * length.value);
}

const keys: Record<string, () => void> = {
  ArrowLeft: () => seek(at.value - 5 * RATE),
  ArrowRight: () => seek(at.value + 5 * RATE),
  Home: () => seek(0),
  End: () => seek(length.value),
};
function key(event: KeyboardEvent): void {
  if (!keys[event.key]) return;
  event.preventDefault();
  keys[event.key]!();
}
useEventListener(window, "keydown", (event: KeyboardEvent) => {
  if (event.key !== " " || (event.target as HTMLElement).closest("textarea, input, button, a")) return;
  event.preventDefault();
  toggle();
});
const frames = useRafFn(() => player.state.playing && (at.value = Math.min(length.value, player.frameNow())));

const keep = (words: string) => notes.add({ words, begins: Math.round(at.value) });
const end = followEpisode(props.episode, (message) => {
  if (message.type === "line") return message.connected && void Promise.all([load(), notes.refresh()]);
  if (message.type !== "told") return;
  if (message.event.change) void load().then(() => player.changed());
  if (message.event.notes) void notes.refresh();
  if (message.event.removed) problem.value = "This episode was removed.";
});
onMounted(() => void Promise.all([load(), notes.enter(props.episode)]));
onBeforeUnmount(() => {
  end();
  frames.pause();
  player.dispose();
  notes.leave();
});
</script>

<template>
  <div class="hear">
    <header>
      <router-link class="brand" to="/" title="To the shelf">ruvel</router-link>
      <router-link v-if="hearing" class="back cut" :to="`/shows/${hearing.episode.show}`">{{
        hearing.showName
      }}</router-link>
      <AccountMenu class="account" />
    </header>
    <main>
      <p v-if="problem" class="alarm" role="alert">
        {{ problem }} <button class="plain-button" @click="load">Try again</button>
      </p>
      <p v-else-if="!hearing" class="soft">Fetching the episode…</p>
      <template v-else>
        <h1 tabindex="-1">{{ hearing.episode.number }} · {{ hearing.episode.title }}</h1>
        <p v-if="hearing.length === 0" class="soft">There is nothing to be heard in it yet.</p>
        <template v-else>
          <div class="deck">
            <button class="play" :aria-label="player.state.playing ? 'Pause' : 'Play'" @click="toggle">
              <component :is="player.state.playing ? Pause : Play" :size="22" fill="currentColor" />
            </button>
            <span class="figures clock">{{ timeText(at, 0) }}</span>
            <span class="soft figures">of {{ timeText(hearing.length, 0) }}</span>
            <span v-if="player.state.problem" class="alarm" role="alert">{{ player.state.problem }}</span>
          </div>
          <div
            ref="strip"
            class="strip"
            role="slider"
            tabindex="0"
            aria-label="Where it plays"
            aria-valuemin="0"
            :aria-valuemax="Math.round(hearing.length / RATE)"
            :aria-valuenow="Math.round(at / RATE)"
            :aria-valuetext="timeText(at, 0)"
            @pointerdown="press"
            @keydown="key"
          >
            <Silhouette :outline="outline" :width="Math.max(100, width)" :height="72" />
            <span
              v-for="n in notes.open"
              :key="n.id"
              class="mark"
              :style="{ left: `${(100 * n.begins) / length}%` }"
              :title="n.words"
            ></span>
            <span class="head" :style="{ left: `${(100 * at) / length}%` }"></span>
          </div>
          <p v-if="hearing.chapters.length > 0" class="chapters">
            <button v-for="c in hearing.chapters" :key="c.at" class="plain-button" @click="seek(c.at)">
              {{ c.name }} <span class="soft figures">{{ timeText(c.at, 0) }}</span>
            </button>
          </p>
        </template>
        <h2>Notes</h2>
        <p class="soft">For those who work on this episode. Nothing of it is in a finished file.</p>
        <NoteForm :label="`Note something at ${timeText(at, 0)}`" verb="Note it" :keep="keep" />
        <ul class="plain-list" aria-label="Notes">
          <NoteCard
            v-for="n in notes.list"
            :key="n.id"
            :note="n"
            :making="false"
            :near="n.begins <= at && at <= n.ends"
            @go="seek(n.begins)"
          />
        </ul>
      </template>
    </main>
  </div>
</template>

<style scoped src="../people/page.css"></style>
<style scoped>
main {
  width: min(980px, 100%);
}
.deck {
  display: flex;
  align-items: baseline;
  gap: 12px;
}
.play {
  display: grid;
  align-self: center;
  padding: 10px;
  border: 0;
  border-radius: var(--radius);
  background: var(--ink);
  color: var(--ink-inverse);
  cursor: pointer;
}
.clock {
  font-size: var(--type-page);
  font-weight: 600;
}
.strip {
  position: relative;
  height: 84px;
  padding: 6px 0;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius);
  background: var(--sheet);
  overflow: hidden;
  cursor: pointer;
}
.head {
  position: absolute;
  inset-block: 0;
  width: 2px;
  margin-left: -1px;
  background: var(--alarm);
}
.mark {
  position: absolute;
  top: 0;
  width: 11px;
  height: 12px;
  background: var(--effect);
  clip-path: polygon(0 0, 100% 0, 100% 60%, 60% 100%, 0 100%);
}
.chapters {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
</style>
