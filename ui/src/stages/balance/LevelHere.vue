<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { courseAt } from "../../drawing/courses";
import { levelHere } from "../../drawing/level";
import { isTreated } from "../../drawing/reduction";
import { stretchNear, wayAt } from "../../drawing/way";
import { useBalance } from "../../stores/balance";
import { figure, levelText, RATE, timeText } from "../../model/units";
import { useSession } from "../../stores/session";

/** What acts on the level of a clip where the pointer is on it, or else at the playhead. */
const props = defineProps<{ id: string; track: Schema["Track"] }>();
const session = useSession();
const desk = useDeskContext();
const balance = useBalance();

const pointed = computed(() => (desk.pointed.value?.clip === props.id ? desk.pointed.value.at : undefined));
const at = computed(() => Math.round(pointed.value ?? desk.playhead.value));
const audible = computed(() => session.byTrack.get(props.track.id)?.heard ?? true);
const treated = computed(() => isTreated(props.track.treatment));
/** What the treatment does at the nearest frame of the clip. */
const course = computed(() => {
  const clip = props.track.clips[props.id];
  if (!clip || !treated.value) return undefined;
  return courseAt(props.track.id, Math.min(Math.max(at.value, clip.start), clip.start + clip.length - 1), true);
});
/** How far the track has made way at the nearest frame of the clip, and for whom. */
const made = computed(() => {
  const clip = props.track.clips[props.id];
  const way = balance.wayOf(props.track);
  if (!clip || !way) return undefined;
  const n = Math.min(Math.max(at.value, clip.start), clip.start + clip.length - 1);
  return { level: wayAt(way, n), whom: speakers(n) };
});
/** The names of those who speak at a frame, or next, of the voices that the track makes way for. */
function speakers(n: number): string {
  const voices = balance.voicesOf(props.track);
  const spoken = balance.shown?.spoken ?? [];
  const named = (session.document?.tracks ?? []).filter((t) => {
    const spans = spoken.find((s) => s.track === t.id)?.spans ?? [];
    const next = stretchNear(spans, n);
    return voices.includes(t.name) && next !== undefined && spans[next]!.from - RATE * 2 <= n;
  });
  return named.map((t) => t.name).join(", ");
}
const here = computed(() =>
  props.id in props.track.clips && (!treated.value || course.value)
    ? levelHere(
        props.track,
        props.id,
        session.glance?.crossings ?? [],
        at.value,
        audible.value,
        course.value,
        made.value?.level,
      )
    : undefined,
);
const rows = computed(() => {
  const l = here.value;
  if (!l) return [];
  return [
    { name: "Clip gain", value: l.clipGain, always: true },
    { name: "Level line", value: l.clipLine, always: true },
    { name: "Fades", value: l.fade, always: true },
    { name: "Silenced stretch", value: l.hush, always: false },
    { name: "Crossing", value: l.crossing, always: false },
    { name: "Gate", value: l.gate, always: props.track.treatment?.gate?.on },
    { name: "Expander", value: l.expander, always: props.track.treatment?.expander?.on },
    { name: "Compressor and make-up", value: l.compressor, always: props.track.treatment?.compressor?.on },
    { name: "Limiter", value: l.limiter, always: props.track.treatment?.limiter?.on },
    { name: "Track level line", value: l.trackLine, always: false },
    {
      name: made.value?.whom && l.way < 0 ? `Makes way for ${made.value.whom}` : "Makes way for speech",
      value: l.way,
      always: made.value !== undefined,
    },
    { name: "Track fader", value: l.fader, always: true },
  ].filter((r) => r.always || r.value !== 0);
});
</script>

<template>
  <div class="sum" aria-live="off">
    <h3>
      {{ pointed === undefined ? "Level here" : "Level at the pointer" }}
      <small class="soft figures">{{ timeText(at) }}</small>
    </h3>
    <strong class="figures" data-level="total">{{ here ? levelText(here.total, true) : "…" }}</strong>
  </div>
  <p v-if="!audible" class="note">The track cannot be heard: it is muted, or another is soloed.</p>
  <p v-else-if="here && !here.inside" class="note">The playhead is outside the clip; this is its nearest frame.</p>
  <p v-if="track.treatment?.lowCut?.on" class="note">What the low cut takes away is not a level, and not counted.</p>
  <dl>
    <div v-for="r in rows" :key="r.name">
      <dt>{{ r.name }}</dt>
      <dd class="figures">{{ figure(r.value, true) }}</dd>
    </div>
  </dl>
</template>

<style scoped>
h3 {
  font-size: var(--type-body);
}
small {
  font-weight: 400;
}
.sum {
  display: flex;
  justify-content: space-between;
}
.note {
  padding: 3px 8px;
  border-left: 3px solid var(--ink-soft);
  font-size: var(--type-small);
}
dl {
  margin: 4px 0 0;
  font-size: var(--type-hint);
  color: var(--ink-soft);
}
dl div {
  display: flex;
  justify-content: space-between;
  line-height: 19px;
}
dd {
  margin: 0;
}
</style>
