<script setup lang="ts">
import { computed } from "vue";
import { touching } from "../../model/touching";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../state/context";
import { actOf } from "../acts/lists/list";

/** What can be done with what is chosen, as buttons for a finger. */
const desk = useDeskContext();
const session = useSession();
const { selection } = desk;

const SHORT: Record<string, string> = {
  split: "Split",
  "trim-start": "Trim start",
  "trim-end": "Trim end",
  remove: "Remove",
  "remove-close": "Remove, close gap",
  "close-gap": "Close gap",
  undo: "Undo",
  "let-go": "Let go",
};
const shown = computed(
  () =>
    touching.value &&
    (selection.clips.some((id) => session.clip(id)) || selection.points.length > 0 || selection.range !== undefined),
);
const acts = computed(() =>
  Object.entries(SHORT).map(([id, name]) => {
    const act = actOf(desk, id);
    return { id, name, why: act.off?.(), run: () => act.run() };
  }),
);

/** The menu of the clip, where there is room for it. */
function more(event: MouseEvent): void {
  const clip = selection.clips.find((id) => session.clip(id));
  const track = clip && session.trackOfClip(clip)?.id;
  if (!track) return;
  const { left, top } = (event.currentTarget as HTMLElement).getBoundingClientRect();
  desk.menu.value = { x: left, y: Math.max(8, top - 400), clip, track, at: Math.round(desk.playhead.value) };
}
</script>

<template>
  <div v-if="shown" class="acts" role="toolbar" aria-label="What can be done with what is chosen">
    <button v-for="a in acts" :key="a.id" class="plain-button" :disabled="!!a.why" :title="a.why" @click="a.run">
      {{ a.name }}
    </button>
    <button v-if="selection.clips.length > 0" class="plain-button" aria-haspopup="menu" @click.stop="more">
      More…
    </button>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  flex: none;
  gap: 6px;
  padding: 6px 10px;
  overflow: auto hidden;
  border-top: 1px solid var(--rule-strong);
  background: var(--sheet);
}
.acts button {
  flex: none;
  min-height: 40px;
}
</style>
