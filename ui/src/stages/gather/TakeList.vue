<script setup lang="ts">
import { computed, ref } from "vue";
import { api, type Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { toggleRecord } from "../../desk/transport/transport";
import { figure, timeText, whenText } from "../../model/units";
import { useJobs } from "../../stores/jobs";
import { useSession } from "../../stores/session";
import { useTakes } from "../../stores/takes";

type Take = Schema["TakeStatus"];

const session = useSession();
const jobs = useJobs();
const takes = useTakes();
const desk = useDeskContext();
const showDiscarded = ref(false);

const lost = computed(() => takes.list.filter((t) => t.state === "recording" && !t.live));
const closing = computed(() => takes.list.filter((t) => t.state === "closed"));
const failed = computed(() => jobs.here.filter((j) => j.kind === "take" && j.state === "failed"));
const discarded = computed(() => takes.list.filter((t) => t.state === "discarded"));
const last = computed(() => takes.list.find((t) => t.id === desk.recorder.state.last && t.state === "kept"));

/** The clips of a take in this session. */
function clipsOf(take: Take): string[] {
  if (!take.sound) return [];
  return (session.document?.tracks ?? []).flatMap((t) =>
    Object.entries(t.clips)
      .filter(([, c]) => c.sound === take.sound)
      .map(([id]) => id),
  );
}

/** The takes of the places that the chosen clips, the take just made or the armed track stand for. */
const places = computed(() => {
  const chosen = desk.selection.clips.flatMap(
    (id) => session.document?.tracks.find((t) => id in t.clips)?.clips[id]?.sound ?? [],
  );
  const wanted = takes.list.filter(
    (t) => t.sound && t.state === "kept" && (chosen.includes(t.sound) || t.id === last.value?.id),
  );
  const keys = new Set(wanted.map((t) => `${t.track} ${t.begins}`));
  return [...keys]
    .map((key) => ({
      key,
      takes: takes.list
        .filter((t) => t.state === "kept" && `${t.track} ${t.begins}` === key)
        .sort((a, b) => a.number - b.number),
    }))
    .filter((p) => p.takes.length > 1 || !last.value);
});
const trackName = (id: string) => session.document?.tracks.find((t) => t.id === id)?.name ?? "a track that is gone";
const address = (take: Take) => `/sounds/${take.sound}/audio`;
const hearing = (take: Take) => desk.hearing.state.address === address(take);

function keep(take: Take): void {
  void session.attempt(api.POST("/takes/{take}/finish", { params: { path: { take: take.id } }, body: {} }));
}

function discard(take: Take): Promise<boolean> {
  desk.hearing.stop();
  return session.attempt(api.POST("/takes/{take}/discard", { params: { path: { take: take.id } } }));
}

/** Another take stands in for the one of its place that is in the session. */
function use(take: Take): void {
  const sounds = takes.list.filter((t) => t.track === take.track && t.begins === take.begins).map((t) => t.sound);
  const clip = (session.document?.tracks ?? [])
    .flatMap((t) => Object.entries(t.clips))
    .find(([, c]) => sounds.includes(c.sound))?.[0];
  void session.attempt(api.POST("/takes/{take}/use", { params: { path: { take: take.id } }, body: { clip } }));
}

/** Puts a take away, if it is said so, and records anew from the same place. */
async function again(take: Take, away: boolean): Promise<void> {
  if (away && !(await discard(take))) return;
  desk.armed.value = take.track;
  desk.seek(take.begins);
  await toggleRecord(desk);
}
</script>

<template>
  <section v-for="t in lost" :key="t.id" class="card rescue" role="alert">
    <p>
      <strong>A take was not finished.</strong> {{ timeText(t.length, 1) }} of it are safe, recorded onto “{{
        trackName(t.track)
      }}”, {{ whenText(t.created) }}.
    </p>
    <div class="acts">
      <button class="plain-button filled" :aria-label="`Rescue take ${t.number}`" @click="keep(t)">Keep</button>
      <button class="plain-button" :aria-label="`Remove the unfinished take ${t.number}`" @click="discard(t)">
        Remove
      </button>
    </div>
  </section>
  <p v-for="t in closing" :key="t.id" class="soft">Take {{ t.number }} is being put on its track…</p>
  <section v-for="j in failed" :key="j.id" class="card rescue" role="alert">
    <p class="alarm">{{ j.problem?.message }} Nothing of the recording is lost.</p>
    <div class="acts">
      <button
        class="plain-button filled"
        @click="
          jobs.putAway(j.id);
          closing.forEach(keep);
        "
      >
        Try again
      </button>
    </div>
  </section>
  <section v-if="last && !desk.recorder.busy" class="card">
    <p>
      <strong>Take {{ last.number }}</strong> · <span class="figures">{{ timeText(last.length, 1) }}</span> · peak
      <span class="figures">{{ figure(last.peak) }}</span> dBFS
    </p>
    <p v-if="last.silenced" class="alarm">
      {{ last.silenced }} samples came broken from the device and became silence. Listen to it.
    </p>
    <div class="acts">
      <button class="plain-button filled" @click="desk.hearing.toggle(address(last))">
        {{ hearing(last) ? "Stop" : "Hear it" }}
      </button>
      <button class="plain-button" @click="desk.recorder.state.last = ''">Keep</button>
      <button class="plain-button" @click="discard(last)">Remove</button>
      <button class="plain-button" @click="again(last, true)">Remove and go again</button>
      <button class="plain-button" @click="again(last, false)">Another take</button>
    </div>
  </section>
  <section v-for="p in places" :key="p.key">
    <h3>Takes of this place</h3>
    <ul class="plain-list">
      <li v-for="t in p.takes" :key="t.id">
        <span class="about">
          Take {{ t.number }} · <span class="figures">{{ timeText(t.length, 1) }}</span>
          <span class="soft">{{ clipsOf(t).length > 0 ? " in the session" : "" }}</span>
        </span>
        <button class="link" :aria-label="`Hear take ${t.number}`" @click="desk.hearing.toggle(address(t))">
          {{ hearing(t) ? "stop" : "hear" }}
        </button>
        <button v-if="clipsOf(t).length === 0" class="link" :aria-label="`Use take ${t.number}`" @click="use(t)">
          use
        </button>
        <button class="link" :aria-label="`Remove take ${t.number}`" @click="discard(t)">remove</button>
      </li>
    </ul>
  </section>
  <section v-if="discarded.length > 0">
    <button class="link soft" :aria-expanded="showDiscarded" @click="showDiscarded = !showDiscarded">
      {{ discarded.length === 1 ? "1 removed take" : `${discarded.length} removed takes` }}
    </button>
    <p v-if="showDiscarded && desk.recorder.state.discardedDays" class="soft">
      They are kept for {{ desk.recorder.state.discardedDays }} days.
    </p>
    <ul v-if="showDiscarded" class="plain-list">
      <li v-for="t in discarded" :key="t.id">
        <span class="about"
          >{{ trackName(t.track) }}, take {{ t.number }} ·
          <span class="figures">{{ timeText(t.length, 1) }}</span></span
        >
        <button class="link" :aria-label="`Hear removed take ${t.number}`" @click="desk.hearing.toggle(address(t))">
          {{ hearing(t) ? "stop" : "hear" }}
        </button>
        <button class="link" :aria-label="`Take take ${t.number} back`" @click="use(t)">take back</button>
        <button
          class="link"
          :aria-label="`Delete take ${t.number} for good`"
          @click="session.attempt(api.DELETE('/takes/{take}', { params: { path: { take: t.id } } }))"
        >
          delete
        </button>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.card {
  display: grid;
  gap: 8px;
  padding: 10px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius);
  background: var(--paper);
}
.rescue {
  border-left: 4px solid var(--alarm);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
h3 {
  font-size: var(--type-text);
}
li {
  display: flex;
  gap: 10px;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
}
.about {
  flex: 1;
}
</style>
