<script setup lang="ts">
import { refDebounced } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import type { Schema } from "../../api/client";
import { useActs } from "../../desk/acts/acts";
import { useDeskContext } from "../../desk/state/context";
import { isTreated } from "../../drawing/reduction";
import { useLists } from "../../stores/lists";
import { gone, trackIn } from "../../document/parts";
import { useSession } from "../../stores/session";
import { useVoices } from "../../stores/voices";
import HearWithout from "./HearWithout.vue";
import StageSettings from "./StageSettings.vue";
import { marksOf } from "./curve";
import { STAGES, type Stage, type Values } from "./stages";
import TransferCurve from "./TransferCurve.vue";
import TreatmentNow from "./TreatmentNow.vue";
import TreatmentStarts from "./TreatmentStarts.vue";
import { announce } from "../../talk/announce";
import { tell } from "../../talk/tell";

/** The treatment of a track, and of those that were chosen with it: which stages are on, and their settings. */
const props = defineProps<{ track: Schema["Track"] }>();
const session = useSession();
const lists = useLists();
const voices = useVoices();
const acts = useActs(useDeskContext());
/** Why the thresholds lie where a start has laid them, for as long as they do. */
const why = ref<{ track: string; text: string; marks: string }>();

/** Also of what is off, so that it can be switched on. */
const treatment = computed<Schema["Treatment"] | undefined>(
  () => lists.treatment && { ...lists.treatment, ...props.track.treatment },
);
const many = computed(() => (acts.chosenTracks().includes(props.track.id) ? acts.chosenTracks() : [props.track.id]));
const settings = (stage: Stage) => treatment.value![stage.key] as unknown as Values;
const dynamic = computed(() => STAGES.some((s) => s.key !== "lowCut" && settings(s).on === true));
const voice = computed(() => voices.byTrack[props.track.id]);

// What the voice is like changes with its clips and its low cut, and what is suggested with all of it.
const heard = refDebounced(
  computed(() => JSON.stringify([props.track.id, props.track.clips, props.track.treatment])),
  400,
);
watch(heard, () => void voices.look(props.track.id).catch(tell), {
  immediate: true,
});

/** Changes some settings of a stage, of the treatment as it is when the turn of this comes: others may be on their way. */
function change(stage: Stage["key"], make: Values | ((now: Values) => Values), gesture?: string): Promise<unknown> {
  const ids = many.value;
  const { id } = props.track;
  const ordinary = voice.value?.ordinary;
  return session.edit((document) => {
    const track = trackIn(document, id);
    if (!track) throw gone("The track");
    const own = { ...lists.treatment!, ...track.treatment }[stage] as unknown as Values;
    const settings = typeof make === "function" ? make(own) : make;
    return { type: "set-stage", tracks: [id, ...ids.filter((t) => t !== id)], stage, settings, ordinary };
  }, gesture);
}

const marksIn = (t: Schema["Treatment"] | undefined) => JSON.stringify(marksOf({ ...lists.treatment!, ...t }));
const reason = computed(() =>
  why.value?.track === props.track.id && why.value.marks === marksIn(props.track.treatment) ? why.value.text : "",
);

/** Puts a whole treatment on the tracks; one that was laid for a voice is laid for each of them. */
async function take(start: Schema["Treatment"], said: string, laid: string): Promise<void> {
  const ids = many.value;
  const others = ids.filter((id) => id !== props.track.id && laid !== "");
  try {
    await Promise.all(others.map((id) => voices.look(id)));
  } catch (error) {
    tell(error);
    return;
  }
  const own = (id: string) => {
    const there = voices.byTrack[id];
    if (!others.includes(id) || !there) return start;
    return (laid === "suggested" ? there.suggested : there.starts.find((s) => s.key === laid))?.treatment ?? start;
  };
  why.value = { track: props.track.id, text: said, marks: marksIn(start) };
  announce(said);
  void session.edit({ type: "set-tracks", tracks: ids.map((id) => ({ track: id, treatment: own(id) })) });
}
</script>

<template>
  <template v-if="treatment">
    <h3>Treatment</h3>
    <p v-if="many.length > 1" class="soft hint">What is set here goes to all {{ many.length }} chosen tracks.</p>
    <TreatmentStarts :voice="voice" :treatment="treatment" :on="isTreated(track.treatment)" @take="take" />
    <p v-if="reason" class="soft hint why" data-why>{{ reason }}</p>
    <TransferCurve
      v-if="dynamic"
      :track="track.id"
      :treatment="treatment"
      :spread="voice?.spread"
      @threshold="
        (stage, key, value, gesture) => change(stage, (now) => ({ [key]: value(now[key] as number) }), gesture)
      "
    />
    <TreatmentNow :track="track" />
    <HearWithout v-if="isTreated(track.treatment)" :tracks="many" :voice="voice" />
    <StageSettings
      v-for="stage in STAGES"
      :key="stage.key"
      :stage="stage"
      :values="settings(stage)"
      :usual="lists.treatment![stage.key] as unknown as Values"
      :set="(values: Values, gesture?: string) => change(stage.key, values, gesture)"
    />
  </template>
</template>

<style scoped>
h3 {
  margin-bottom: 4px;
  font-size: var(--type-body);
}
.hint {
  font-size: var(--type-hint);
}
.why {
  margin: 0 0 6px;
  padding: 3px 8px;
  border-left: 3px solid var(--voice);
}
</style>
