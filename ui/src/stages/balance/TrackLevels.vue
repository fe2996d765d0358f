<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { useActs } from "../../desk/acts/acts";
import { useDeskContext } from "../../desk/state/context";
import SliderRow from "../../desk/widgets/SliderRow.vue";
import { levelText, LOUDEST, parseLevel } from "../../model/units";
import { useSession } from "../../stores/session";

/** Fader and pan of a track, and of those that were chosen with it. */
const props = defineProps<{ track: Schema["Track"] }>();
const session = useSession();
const desk = useDeskContext();
const acts = useActs(desk);

const group = computed(() =>
  props.track.group ? (session.document?.tracks ?? []).filter((t) => t.group === props.track.group) : [],
);
const many = computed(() => (acts.chosenTracks().includes(props.track.id) ? acts.chosenTracks() : []));
const pan = computed(() => {
  const p = Math.round(props.track.pan * 100);
  return p === 0 ? "middle" : `${Math.abs(p)} % ${p < 0 ? "left" : "right"}`;
});

function parsePan(text: string): number | undefined {
  const match = /^\s*([+-]?\d+)\s*%?\s*(l|left|r|right)?\s*$/i.exec(text);
  if (/^\s*(middle|centre|0)\s*$/i.test(text)) return 0;
  if (!match) return undefined;
  return ((match[2]?.toLowerCase().startsWith("l") ? -1 : 1) * Number(match[1])) / 100;
}
</script>

<template>
  <h3>Track · {{ track.name }}</h3>
  <SliderRow
    label="Fader"
    :value="track.fader"
    :text="levelText(track.fader, true)"
    :parse="parseLevel"
    :min="-48"
    :max="LOUDEST"
    :step="0.5"
    :normal="0"
    @change="(fader: number, g?: string) => acts.setFader(track.id, fader, g)"
  />
  <SliderRow
    label="Pan"
    :value="track.pan"
    :text="pan"
    :parse="parsePan"
    :min="-1"
    :max="1"
    :step="0.05"
    :normal="0"
    @change="
      (value: number, g?: string) => session.edit({ type: 'set-tracks', tracks: [{ track: track.id, pan: value }] }, g)
    "
  />
  <p v-if="group.length > 0" class="soft hint">
    Moves together with
    {{
      group
        .filter((t) => t.id !== track.id)
        .map((t) => t.name)
        .join(", ")
    }}.
    <button
      class="link"
      @click="
        acts.group(
          group.map((t) => t.id),
          true,
        )
      "
    >
      Move them apart
    </button>
  </p>
  <p v-else-if="many.length > 1" class="soft hint">
    {{ many.length }} tracks are chosen and move together.
    <button class="link" @click="acts.group(many, false)">Keep them together</button>
  </p>
</template>

<style scoped>
h3 {
  margin-bottom: 4px;
  font-size: var(--type-body);
}
.hint {
  font-size: var(--type-hint);
}
</style>
