<script setup lang="ts">
import { BookMarked, X } from "lucide-vue-next";
import { computed } from "vue";
import { useActs } from "../../desk/acts/acts";
import { useDeskContext } from "../../desk/state/context";
import ValueField from "../../desk/widgets/ValueField.vue";
import MarkLists from "./MarkLists.vue";
import { parseTime, timeText } from "../../model/units";
import { useSession } from "../../stores/session";

/** Markers, named ranges and chapters. */
const session = useSession();
const desk = useDeskContext();
const acts = useActs(desk);

const markers = computed(() =>
  Object.entries(session.document?.markers ?? {})
    .map(([id, marker]) => ({ id, ...marker }))
    .sort((a, b) => a.at - b.at),
);
const ranges = computed(() => (session.glance?.order ?? []).map((o) => o.marker));

type Change = { at?: number; length?: number; name?: string; chapter?: boolean };
function set(marker: string, change: Change): void {
  void session.edit({ type: "set-markers", markers: [{ marker, ...change }] });
}

function rename(id: string, event: Event, old: string): void {
  const name = (event.target as HTMLInputElement).value;
  if (name !== old) set(id, { name });
}

/** Moves a segment with everything in it by one place. */
function moveSegment(id: string, by: 1 | -1): void {
  const at = ranges.value.indexOf(id);
  const before = ranges.value[by < 0 ? at - 1 : at + 2];
  void session.edit({ type: "move-segment", marker: id, before });
}

function jump(at: number): void {
  desk.seek(at);
  if (at < desk.time.start || at > desk.time.end) desk.time.show(at - desk.time.width * desk.time.scale * 0.1);
}
</script>

<template>
  <div class="top">
    <button class="plain-button" @click="acts.mark(false)">Mark this place</button>
    <button class="plain-button" :disabled="!desk.selection.range" @click="acts.mark(true)">Name the range</button>
  </div>
  <p v-if="markers.length === 0" class="soft none">
    Mark a place with N, also while it plays. Drag over the ruler and name the range to see it in the strip at the top.
  </p>
  <ul class="plain-list">
    <li v-for="m in markers" :key="m.id" :class="{ range: m.length > 0 }">
      <button class="go figures" :title="`Go to ${m.name}`" @click="jump(m.at)">{{ timeText(m.at, 1) }}</button>
      <input
        class="name"
        :value="m.name"
        maxlength="200"
        :aria-label="`Name of the marker at ${timeText(m.at)}`"
        @focus="($event.target as HTMLInputElement).select()"
        @change="rename(m.id, $event, m.name)"
      />
      <button
        class="sign"
        :aria-pressed="m.chapter ?? false"
        :title="m.chapter ? `${m.name} is a chapter` : `Make ${m.name} a chapter`"
        :aria-label="`${m.name} is a chapter`"
        @click="set(m.id, { chapter: !m.chapter })"
      >
        <BookMarked :size="14" />
      </button>
      <button
        class="sign"
        :aria-label="`Remove ${m.name}`"
        :title="`Remove ${m.name}`"
        @click="session.edit({ type: 'remove-markers', markers: [m.id] })"
      >
        <X :size="14" />
      </button>
      <div class="times">
        <label>
          <span class="soft">at</span>
          <ValueField
            :value="m.at"
            :text="timeText(m.at)"
            :parse="parseTime"
            :label="`Place of ${m.name}`"
            @change="(at: number) => set(m.id, { at })"
          />
        </label>
        <label>
          <span class="soft">for</span>
          <ValueField
            :value="m.length"
            :text="m.length ? timeText(m.length) : '–'"
            :parse="parseTime"
            :label="`Length of ${m.name}`"
            @change="(length: number) => set(m.id, { length })"
          />
        </label>
        <template v-if="m.length > 0">
          <button
            class="link"
            :disabled="ranges.indexOf(m.id) === 0"
            :aria-label="`Move ${m.name} with everything in it earlier`"
            @click="moveSegment(m.id, -1)"
          >
            earlier
          </button>
          <button
            class="link"
            :disabled="ranges.indexOf(m.id) === ranges.length - 1"
            :aria-label="`Move ${m.name} with everything in it later`"
            @click="moveSegment(m.id, 1)"
          >
            later
          </button>
        </template>
      </div>
    </li>
  </ul>
  <MarkLists :some="markers.length > 0" :chapters="markers.some((m) => m.chapter)" />
</template>

<style scoped>
.top {
  display: flex;
  gap: 8px;
}
.top .plain-button {
  font-size: var(--type-small);
}
li {
  display: grid;
  grid-template-columns: auto 1fr auto auto;
  align-items: center;
  gap: 0 6px;
  padding: 5px 0 5px 8px;
  border-left: 4px solid var(--rule-strong);
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-text);
}
li.range {
  border-left-color: var(--ink-soft);
}
.go {
  padding: 1px 6px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius-button);
  background: var(--sheet);
  font-size: var(--type-small);
  cursor: pointer;
}
.name {
  min-width: 0;
  padding: 2px 4px;
  border: 1px solid transparent;
  border-radius: var(--radius-small);
  background: none;
  color: inherit;
  font: inherit;
}
.name:hover,
.name:focus {
  border-color: var(--rule-strong);
}
.sign {
  display: grid;
  padding: 3px;
  border: 0;
  border-radius: var(--radius-small);
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}
.sign[aria-pressed="true"] {
  background: var(--ink);
  color: var(--ink-inverse);
}
.times {
  display: flex;
  grid-column: 1 / 5;
  align-items: center;
  gap: 10px;
  font-size: var(--type-small);
}
.times label {
  display: flex;
  width: 84px;
  align-items: center;
  gap: 4px;
}
.none {
  padding: 8px 0;
}
</style>
