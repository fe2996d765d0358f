<script setup lang="ts">
import { Mic, Square } from "lucide-vue-next";
import { computed, onBeforeUnmount, onMounted, ref } from "vue";
import { api, ask, type Refusal, type Schema } from "../api/client";
import { Heights } from "../desk/state/heights";
import { makeDeskContext } from "../desk/state/context";
import PickList from "../desk/widgets/PickList.vue";
import { followEpisode } from "../events/following";
import { Player } from "../listening/player";
import { lengthText, RATE, timeText } from "../model/units";
import AccountMenu from "../people/AccountMenu.vue";
import { Recorder } from "../recording/recorder";
import InputMeter from "../stages/gather/InputMeter.vue";
import ReadingView from "../stages/gather/ReadingView.vue";
import { OpenDesk } from "../stores/open";
import { useScript } from "../stores/script";
import { useSession } from "../stores/session";
import { useTakes } from "../stores/takes";
import { usePageTitle } from "../talk/pageTitle";

/** An episode for those who read for it: its script in large type, and a microphone. */
const props = defineProps<{ episode: string }>();
const session = useSession();
const script = useScript();
const takes = useTakes();
const reading = ref<Schema["ToRead"]>();
const problem = ref("");
const onto = ref("");
const player = new Player(props.episode, () => 0);
const recorder = new Recorder(player, () => props.episode, false);
makeDeskContext(player, recorder, new Heights(props.episode));
usePageTitle(() => [reading.value?.episode.title, "Reading"]);

/** Where a recording goes: the empty places first, then the ends of the tracks. */
const places = computed(() => [
  ...(reading.value?.places ?? []).map((p) => ({ value: p.id, name: p.name, track: p.track, at: p.at })),
  ...(reading.value?.tracks ?? []).map((t) => ({
    value: t.id,
    name: `at the end of ${t.name}`,
    track: t.id,
    at: t.at,
  })),
]);
const inputs = computed(() => recorder.state.inputs.map((i) => ({ value: i.id, name: i.name })));
const input = computed({
  get: () => recorder.choices.input,
  set: (id: string) => {
    recorder.choices.input = id;
    recorder.keepChoices();
    void recorder.open();
  },
});
const waiting = computed(() => Math.max(0, (recorder.state.recorded - recorder.state.kept) / RATE));

async function load(): Promise<void> {
  try {
    const params = { path: { episode: props.episode } };
    reading.value = await ask(api.GET("/episodes/{episode}/reading", { params }));
    if (!places.value.some((p) => p.value === onto.value)) onto.value = places.value[0]?.value ?? "";
    problem.value = "";
    await Promise.all([script.refresh(), takes.refresh()]);
  } catch (error) {
    problem.value = (error as Refusal).message;
  }
}

async function toggle(): Promise<void> {
  if (recorder.busy) return recorder.stop();
  const place = places.value.find((p) => p.value === onto.value);
  if (place) await recorder.record(place.track, place.at);
}

const opened = new OpenDesk(props.episode);
session.look(opened);
const end = followEpisode(props.episode, (message) => {
  if (message.type === "line" && message.connected) void load();
  if (message.type !== "told") return;
  if (message.event.script) void script.refresh();
  if (message.event.takes || message.event.change) void load();
  if (message.event.removed) problem.value = "This episode was removed.";
});
onMounted(() => {
  void load();
  void recorder.prepare();
});
onBeforeUnmount(() => {
  end();
  recorder.dispose();
  player.dispose();
  opened.leave();
  if (session.open?.episode !== props.episode) return;
  for (const store of [session, script, takes]) store.leave();
});
</script>

<template>
  <div class="read">
    <header>
      <router-link class="brand" to="/" title="To the shelf">ruvel</router-link>
      <span v-if="reading" class="what">
        <span class="soft cut">{{ reading.showName }}</span>
        <h1 tabindex="-1" class="cut">{{ reading.episode.number }} · {{ reading.episode.title }}</h1>
      </span>
      <AccountMenu class="account" />
    </header>
    <p v-if="problem" class="alarm problem" role="alert">
      {{ problem }} <button class="plain-button" @click="load">Try again</button>
    </p>
    <main v-else>
      <div class="script"><ReadingView v-if="script.script" reader /></div>
      <aside aria-label="Recording">
        <h2>Record</h2>
        <label class="field"><span>Input</span><PickList v-model="input" label="Input" :options="inputs" /></label>
        <p v-if="recorder.state.fault" class="alarm" role="alert">{{ recorder.state.fault }}</p>
        <button v-if="recorder.state.phase === 'closed'" class="plain-button" @click="recorder.open()">
          Listen to the input
        </button>
        <p v-else-if="recorder.state.phase === 'opening'" class="soft">Opening the input…</p>
        <InputMeter v-else />
        <label class="field"><span>Goes to</span><PickList v-model="onto" label="Goes to" :options="places" /></label>
        <p v-if="reading && places.length === 0" class="soft">
          There is nothing to record onto yet: the producer makes a track or a place for your voice.
        </p>
        <button class="plain-button filled" :disabled="places.length === 0" @click="toggle">
          <component :is="recorder.busy ? Square : Mic" :size="15" />{{ recorder.busy ? "Stop" : "Record" }}
        </button>
        <p v-if="recorder.state.phase === 'counting'" class="figures count">{{ recorder.state.count || "…" }}</p>
        <p v-else-if="recorder.busy" class="figures count">{{ timeText(recorder.state.recorded, 1) }}</p>
        <p v-if="recorder.state.trouble" class="alarm">
          {{ recorder.state.trouble }} Go on: {{ waiting.toFixed(0) }} s wait here.
        </p>
        <p v-if="recorder.state.problem" class="alarm" role="alert">{{ recorder.state.problem }}</p>
        <h2>Your takes</h2>
        <ul v-if="takes.list.length > 0" class="plain-list" aria-label="Your takes">
          <li v-for="t in takes.list" :key="t.id">
            Take {{ t.number }} <span class="soft">{{ t.live ? "coming in" : lengthText(t.length) }}</span>
          </li>
        </ul>
        <p v-else class="soft">What you record is listed here. The producer hears it at once.</p>
      </aside>
    </main>
  </div>
</template>

<style scoped src="../people/page.css"></style>
<style scoped>
.read {
  display: grid;
  grid-template-rows: var(--header-height) minmax(0, 1fr);
  height: 100%;
}
.what {
  display: grid;
  min-width: 0;
  font-size: var(--type-text);
}
h1 {
  margin: 0;
  font-size: inherit;
}
main {
  display: grid;
  grid-template-columns: minmax(0, 1fr) var(--panel-width);
  gap: 0;
  width: 100%;
  min-height: 0;
  margin: 0;
  padding: 0;
}
.script {
  position: relative;
}
aside {
  display: grid;
  align-content: start;
  gap: 10px;
  padding: 14px 16px;
  border-left: 1px solid var(--rule-strong);
  background: var(--sheet);
  overflow-y: auto;
}
.field {
  display: grid;
  grid-template-columns: 60px minmax(0, 1fr);
  align-items: center;
  font-size: var(--type-text);
}
.count {
  font-size: var(--type-page);
  font-weight: 600;
  text-align: center;
}
.plain-button {
  justify-content: center;
}
.problem {
  padding: 20px;
}
@media (max-width: 760px) {
  .read {
    height: auto;
  }
  main {
    grid-template-columns: minmax(0, 1fr);
  }
  .script {
    height: 70vh;
  }
}
</style>
