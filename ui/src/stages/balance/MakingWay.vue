<script setup lang="ts">
import { ElSwitch } from "element-plus";
import { computed } from "vue";
import { api, ask, type Schema } from "../../api/client";
import { useActs } from "../../desk/acts/acts";
import { useDeskContext } from "../../desk/state/context";
import { useStaying } from "../../desk/acts/staying";
import { useBalance } from "../../stores/balance";
import { gone, trackIn } from "../../document/parts";
import { useSession } from "../../stores/session";
import WayPicture from "./WayPicture.vue";
import WaySettings from "./WaySettings.vue";
import { tell } from "../../talk/tell";

/** How music or effects make way for speech. */
const props = defineProps<{ track: Schema["Track"] }>();
const session = useSession();
const desk = useDeskContext();
const acts = useActs(desk);
const balance = useBalance();
const { staying, switchOver } = useStaying(desk);

void balance.list().catch(() => undefined);

const usual = computed(() => balance.starts.find((s) => s.key === "narration")?.way);
const way = computed(() => props.track.way ?? usual.value);
const on = computed(() => props.track.way?.on ?? false);
const made = computed(() => balance.wayOf(props.track));
const voices = computed(() => (session.document?.tracks ?? []).filter((t) => t.part === "voice"));
const off = computed(() => staying.value.includes(props.track.id));
/** The chosen tracks that can make way, this one among them. */
const meant = computed(() => {
  const all = acts.chosenTracks();
  const can = (session.document?.tracks ?? []).filter((t) => t.part !== "voice" && all.includes(t.id));
  return can.some((t) => t.id === props.track.id) ? can.map((t) => t.id) : [props.track.id];
});
function set(change: Partial<Schema["Way"]>, gesture?: string): Promise<unknown> {
  const made = meant.value;
  const begin = way.value;
  if (!begin) return Promise.resolve();
  return session.edit((document) => {
    const there = made.flatMap((id) => trackIn(document, id) ?? []);
    if (there.length === 0) throw gone("The track");
    return {
      type: "set-tracks",
      tracks: there.map((t) => ({ track: t.id, way: { ...(t.way ?? begin), ...change } })),
    };
  }, gesture);
}

/** Turns the line into points, as it is now. */
async function turn(): Promise<void> {
  const episode = session.open!.episode;
  const making = meant.value.filter((id) => session.document?.tracks.find((t) => t.id === id)?.way?.on);
  const params = { path: { episode }, query: { tracks: making.join(), rev: session.coming } };
  try {
    const lines = await ask(api.GET("/episodes/{episode}/ways/lines", { params }));
    if (session.open?.episode === episode) void session.edit({ type: "turn-ways", lines: lines! });
  } catch (error) {
    tell(error);
  }
}
</script>

<template>
  <div class="title">
    <h3>Make way for speech</h3>
    <el-switch
      :model-value="on"
      :disabled="!way"
      size="small"
      aria-label="Make way for speech"
      @change="(v: string | number | boolean) => set({ on: v === true })"
    />
  </div>
  <p v-if="!on" class="soft hint">
    The track goes down by itself before somebody speaks and comes back afterwards, wherever clips are moved.
  </p>
  <p v-if="meant.length > 1" class="soft hint">For {{ meant.length }} chosen tracks together.</p>
  <p v-if="!on && track.way?.turned" class="soft hint">
    It was turned into points.
    <button class="plain-button small" @click="session.edit({ type: 'take-ways-back', tracks: [track.id] })">
      Take them back, and make way by itself
    </button>
  </p>
  <template v-if="on && way">
    <WayPicture v-if="made" :way="made" :settings="way" :at="desk.playhead.value" :voices="balance.voicesOf(track)" />
    <p v-else-if="balance.now && (session.byTrack.get(track.id)?.heard ?? true)" class="soft hint">…</p>
    <p v-else class="soft hint">The track cannot be heard, so it makes no way.</p>
    <div class="starts" role="group" aria-label="Begin with">
      <button
        v-for="s in balance.starts"
        :key="s.key"
        class="plain-button small"
        :title="s.for"
        @click="set({ ...s.way, by: way.by, for: way.for })"
      >
        {{ s.name }}
      </button>
    </div>
    <WaySettings :way="way" :usual="usual" :voices="voices" :set="set" />
    <div class="acts">
      <button class="plain-button small" :class="{ filled: off }" :aria-pressed="off" @click="switchOver(meant)">
        {{ off ? "Heard without it" : "Hear without it" }} <kbd class="figures" aria-hidden="true" data-keys="6"></kbd>
      </button>
      <button class="plain-button small" @click="turn">Turn into points</button>
    </div>
  </template>
</template>

<style scoped>
.title {
  display: flex;
  align-items: center;
  justify-content: space-between;
}
h3 {
  font-size: var(--type-body);
}
.hint {
  margin: 2px 0 4px;
  font-size: var(--type-hint);
}
.starts {
  display: flex;
  gap: 6px;
  margin: 8px 0 6px;
}
.small {
  padding: 3px 9px;
  font-size: var(--type-hint);
}
.acts {
  display: flex;
  gap: 8px;
  margin-top: 8px;
}
kbd::after {
  content: attr(data-keys);
}
kbd {
  opacity: 0.7;
  font-size: var(--type-small);
}
</style>
