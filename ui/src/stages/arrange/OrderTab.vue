<script setup lang="ts">
import { computed, ref } from "vue";
import { useDeskContext } from "../../desk/state/context";
import ValueField from "../../desk/widgets/ValueField.vue";
import { parseTime, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useSounds } from "../../stores/sounds";

/** The running order as a table: each clip with its times, where it is from and what it is for. */
const session = useSession();
const sounds = useSounds();
const desk = useDeskContext();
/** So many rows are shown at once; the others when they are asked for. */
const PAGE = 200;
const shown = ref(PAGE);
const wanted = ref("");

const all = computed(() =>
  (session.document?.tracks ?? [])
    .flatMap((track) => Object.entries(track.clips).map(([id, clip]) => ({ id, clip, track })))
    .sort((a, b) => a.clip.start - b.clip.start || a.id.localeCompare(b.id)),
);
const found = computed(() => {
  const words = wanted.value.toLowerCase().split(/\s+/).filter(Boolean);
  return all.value.filter(({ clip, track }) =>
    words.every((w) => `${clip.name} ${track.name} ${track.part}`.toLowerCase().includes(w)),
  );
});
const sourceOf = (sound: string) => sounds.byID(sound)?.name ?? "";

function choose(id: string, track: string, start: number): void {
  Object.assign(desk.selection, { clips: [id], track, tracks: [track], points: [] });
  desk.seek(start);
  if (start < desk.time.start || start > desk.time.end) {
    desk.time.show(start - desk.time.width * desk.time.scale * 0.1);
  }
}

type Change = { start?: number; length?: number; offset?: number };
function set(clip: string, change: Change): void {
  void session.edit({ type: "set-clips", clips: [{ clip, ...change }] });
}

function rename(clip: string, event: Event, old: string): void {
  const name = (event.target as HTMLInputElement).value;
  if (name !== old) void session.edit({ type: "set-clips", clips: [{ clip, name }] });
}
</script>

<template>
  <p v-if="all.length === 0" class="soft none">Clips are listed here in the order in which they are heard.</p>
  <template v-else>
    <input v-model="wanted" class="text-field find" type="search" placeholder="Find clips" aria-label="Find clips" />
    <table class="order">
      <thead>
        <tr>
          <th scope="col">Start</th>
          <th scope="col">End</th>
          <th scope="col">Length</th>
        </tr>
      </thead>
      <tbody v-for="{ id, clip, track } in found.slice(0, shown)" :key="id" :class="track.part">
        <tr :class="{ chosen: desk.selection.clips.includes(id) }">
          <td colspan="3" class="what">
            <input
              class="name"
              :value="clip.name"
              maxlength="200"
              :aria-label="`Name of ${clip.name}`"
              :title="clip.name"
              @focus="choose(id, track.id, clip.start)"
              @change="rename(id, $event, clip.name)"
            />
            <span
              class="soft from cut"
              :title="`${sourceOf(clip.sound)}, from ${timeText(clip.offset)}; ${track.name}`"
            >
              {{ track.name }} · {{ track.part
              }}<template v-if="sourceOf(clip.sound)"> · {{ sourceOf(clip.sound) }}</template>
            </span>
          </td>
        </tr>
        <tr :class="{ chosen: desk.selection.clips.includes(id) }">
          <td>
            <ValueField
              :value="clip.start"
              :text="timeText(clip.start)"
              :parse="parseTime"
              :label="`Start of ${clip.name}`"
              @change="(start: number) => set(id, { start })"
            />
          </td>
          <td>
            <ValueField
              :value="clip.start + clip.length"
              :text="timeText(clip.start + clip.length)"
              :parse="parseTime"
              :label="`End of ${clip.name}`"
              @change="(end: number) => set(id, { length: end - clip.start })"
            />
          </td>
          <td>
            <ValueField
              :value="clip.length"
              :text="timeText(clip.length)"
              :parse="parseTime"
              :label="`Length of ${clip.name}`"
              @change="(length: number) => set(id, { length })"
            />
          </td>
        </tr>
        <tr v-if="desk.selection.clips.includes(id)" class="chosen">
          <td colspan="2" class="soft inside">Begins in its sound at</td>
          <td>
            <ValueField
              :value="clip.offset"
              :text="timeText(clip.offset)"
              :parse="parseTime"
              :label="`Offset of ${clip.name} in its sound`"
              @change="(offset: number) => set(id, { offset })"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="found.length === 0" class="soft none">No clip has these words.</p>
    <button v-if="found.length > shown" class="plain-button" @click="shown += PAGE">
      {{ found.length - shown }} more
    </button>
  </template>
</template>

<style scoped>
.find {
  margin-bottom: 8px;
}
table {
  width: 100%;
  border-collapse: collapse;
  table-layout: fixed;
  font-size: var(--type-text);
}
th {
  padding: 0 4px 4px;
  color: var(--ink-soft);
  font-size: var(--type-small);
  font-weight: 600;
  text-align: right;
}
tbody {
  border-left: 4px solid var(--rule-strong);
  border-bottom: 1px solid var(--rule);
}
tbody.voice {
  border-left-color: var(--voice);
}
tbody.music {
  border-left-color: var(--music);
}
tbody.effect {
  border-left-color: var(--effect);
}
tr.chosen {
  background: var(--paper);
}
td {
  padding: 1px 2px;
}
td.what {
  padding: 3px 4px 0 6px;
}
.name {
  width: 100%;
  padding: 1px 3px;
  border: 1px solid transparent;
  border-radius: var(--radius-small);
  background: none;
  color: inherit;
  font: inherit;
  font-weight: 600;
  text-overflow: ellipsis;
}
.name:hover,
.name:focus {
  border-color: var(--rule-strong);
}
.from {
  display: block;
  padding-left: 4px;
  font-size: var(--type-small);
}
.inside {
  padding-left: 10px;
  font-size: var(--type-small);
}
.none {
  padding: 8px 0;
}
</style>
