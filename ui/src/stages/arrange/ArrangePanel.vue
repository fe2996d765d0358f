<script setup lang="ts">
import { X } from "lucide-vue-next";
import { computed } from "vue";
import { useDeskContext } from "../../desk/context";
import ValueField from "../../desk/ValueField.vue";
import { lengthText, parseTime, timeText } from "../../model/units";
import { useSession } from "../../stores/session";

const session = useSession();
const desk = useDeskContext();

const clips = computed(() =>
  (session.document?.tracks ?? [])
    .flatMap((track) => Object.entries(track.clips).map(([id, clip]) => ({ id, clip, track })))
    .sort((a, b) => a.clip.start - b.clip.start),
);
const markers = computed(() =>
  Object.entries(session.document?.markers ?? {})
    .map(([id, marker]) => ({ id, ...marker }))
    .sort((a, b) => a.at - b.at),
);

function nameRange(): void {
  const r = desk.selection.range;
  if (r)
    void session.edit({ type: "add-marker", at: Math.round(r.from), length: Math.round(r.to - r.from), name: "Range" });
  else void session.edit({ type: "add-marker", at: Math.round(desk.playhead.value) });
}

function renameMarker(id: string, event: Event): void {
  const name = (event.target as HTMLInputElement).value;
  if (name !== session.document?.markers[id]?.name)
    void session.edit({ type: "set-markers", markers: [{ marker: id, name }] });
}

function choose(id: string, track: string, start: number): void {
  desk.selection.clips = [id];
  desk.selection.track = track;
  desk.seek(start);
}
</script>

<template>
  <h2>Running order</h2>
  <p v-if="clips.length === 0" class="soft none">Clips are listed here in the order in which they are heard.</p>
  <ul class="plain-list">
    <li
      v-for="{ id, clip, track } in clips"
      :key="id"
      :class="[track.part, { chosen: desk.selection.clips.includes(id) }]"
    >
      <ValueField
        class="at"
        :value="clip.start"
        :text="timeText(clip.start)"
        :parse="parseTime"
        :label="`Start of ${clip.name}`"
        @change="(start: number) => session.edit({ type: 'move-clips', moves: [{ clip: id, start }] })"
      />
      <button class="name cut" :title="`${clip.name}, on ${track.name}`" @click="choose(id, track.id, clip.start)">
        {{ clip.name }}
      </button>
      <span class="soft figures">{{ lengthText(clip.length) }}</span>
    </li>
  </ul>
  <hr class="panel-rule" />
  <div class="title">
    <h2>Markers and ranges</h2>
    <button class="plain-button" @click="nameRange">
      {{ desk.selection.range ? "Name the range" : "Mark this place" }}
    </button>
  </div>
  <p v-if="markers.length === 0" class="soft none">Mark a place with N. A named range shows in the strip at the top.</p>
  <ul class="plain-list">
    <li v-for="m in markers" :key="m.id" class="marker">
      <ValueField
        class="at"
        :value="m.at"
        :text="timeText(m.at)"
        :parse="parseTime"
        :label="`Place of ${m.name}`"
        @change="(at: number) => session.edit({ type: 'set-markers', markers: [{ marker: m.id, at }] })"
      />
      <input
        class="name"
        :value="m.name"
        maxlength="200"
        :aria-label="`Name of the marker at ${timeText(m.at)}`"
        @change="renameMarker(m.id, $event)"
        @focus="desk.seek(m.at)"
      />
      <span class="soft figures">{{ m.length ? lengthText(m.length) : "" }}</span>
      <button
        class="gone"
        :aria-label="`Remove ${m.name}`"
        @click="session.edit({ type: 'remove-markers', markers: [m.id] })"
      >
        <X :size="14" />
      </button>
    </li>
  </ul>
</template>

<style scoped>
h2 {
  font-size: 16px;
}
.title {
  display: flex;
  align-items: center;
  justify-content: space-between;
}
.title .plain-button {
  font-size: 12px;
}
li {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 2px 0 2px 8px;
  border-left: 4px solid var(--rule-strong);
  margin-bottom: 2px;
  font-size: 13px;
}
li.voice {
  border-left-color: var(--voice);
}
li.music {
  border-left-color: var(--music);
}
li.effect {
  border-left-color: var(--effect);
}
li.chosen {
  background: var(--paper);
}
.at {
  width: 66px;
  flex: none;
}
.name {
  flex: 1;
  min-width: 0;
  padding: 2px 4px;
  border: 1px solid transparent;
  border-radius: 4px;
  background: none;
  font: inherit;
  color: inherit;
  text-align: left;
}
input.name:hover,
input.name:focus {
  border-color: var(--rule-strong);
}
button.name {
  cursor: pointer;
}
li .figures {
  flex: none;
  font-size: 11px;
}
.gone {
  display: grid;
  padding: 3px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}
.none {
  padding: 8px 0;
}
</style>
