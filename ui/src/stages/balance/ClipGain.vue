<script setup lang="ts">
import { computed, ref } from "vue";
import type { Schema } from "../../api/client";
import { useActs } from "../../desk/acts/acts";
import { useDeskContext } from "../../desk/state/context";
import { handLevel } from "../../document/lines";
import SliderRow from "../../desk/widgets/SliderRow.vue";
import ValueField from "../../desk/widgets/ValueField.vue";
import { levelText, LOUDEST, parseLevel, timeText } from "../../model/units";
import { clipIn, clipsIn } from "../../document/parts";
import { useSession } from "../../stores/session";

/** The gain of a clip, of all clips of its recording, and of a stretch of it. */
const props = defineProps<{ id: string; clip: Schema["Clip"] }>();
const session = useSession();
const desk = useDeskContext();
const acts = useActs(desk);
const everywhere = ref(false);

const kin = computed(() =>
  (session.document?.tracks ?? []).flatMap((t) =>
    Object.entries(t.clips)
      .filter(([, c]) => c.sound === props.clip.sound)
      .map(([id]) => id),
  ),
);
/** The stretch that is chosen, as far as it lies in the clip. */
const stretch = computed(() => {
  const r = acts.range();
  const { start, length } = props.clip;
  if (!r || r.to <= start || r.from >= start + length) return undefined;
  return { from: Math.max(r.from, start), to: Math.min(r.to, start + length) };
});
const hushed = computed(() =>
  (props.clip.hushed ?? []).some((s) => {
    const [from, to] = [s.from, s.to].map((at) => at - props.clip.offset + props.clip.start);
    return stretch.value !== undefined && from! < stretch.value.to && to! > stretch.value.from;
  }),
);

/** Sets the gain of the chosen clips, or changes that of all clips of the recording by as much. */
function setGain(gain: number, gesture?: string): void {
  const ids = everywhere.value ? kin.value : acts.chosen().includes(props.id) ? acts.chosen() : [props.id];
  const [own, all] = [props.id, everywhere.value];
  void session.edit((document) => {
    const there = clipsIn(document, ids);
    const by = gain - (clipIn(document, own)?.gain ?? gain);
    const gains = there.map(({ id, clip }) => ({
      clip: id,
      gain: all && id !== own ? handLevel(clip.gain + by) : gain,
    }));
    return { type: "set-clips", clips: gains };
  }, gesture);
}
</script>

<template>
  <SliderRow
    label="Gain"
    :value="clip.gain"
    :text="levelText(clip.gain, true)"
    :parse="parseLevel"
    :min="-36"
    :max="LOUDEST"
    :step="0.5"
    :normal="0"
    @change="setGain"
  />
  <label v-if="kin.length > 1" class="kin">
    <input v-model="everywhere" type="checkbox" /> All {{ kin.length }} clips of this recording, by as much
  </label>
  <div v-if="stretch" class="stretch">
    <span>
      Chosen stretch <small class="soft figures">{{ timeText(stretch.from) }} – {{ timeText(stretch.to) }}</small>
    </span>
    <ValueField
      :value="0"
      text="±0.0 dB"
      :parse="parseLevel"
      label="Make the stretch louder or softer by"
      @change="(by: number) => acts.lift({ ...stretch!, by })"
    />
    <button class="plain-button small" @click="acts.hush(hushed)">
      {{ hushed ? "Let it sound again" : "Silence it" }}
    </button>
  </div>
</template>

<style scoped>
.kin {
  display: flex;
  align-items: center;
  gap: 6px;
  font-size: var(--type-hint);
}
.stretch {
  display: grid;
  grid-template-columns: 74px auto;
  justify-content: start;
  gap: 2px 8px;
  align-items: center;
  margin-top: 6px;
  font-size: var(--type-text);
}
.stretch span {
  grid-column: 1 / 3;
}
.stretch small {
  font-size: var(--type-small);
}
.small {
  padding: 2px 8px;
  font-size: var(--type-hint);
}
</style>
