<script setup lang="ts">
import { refThrottled } from "@vueuse/core";
import { ElOption, ElSelect } from "element-plus";
import { computed, ref, watch } from "vue";
import { api, ask, type Schema } from "../../api/client";
import { useDeskContext } from "../../desk/context";
import ValueField from "../../desk/ValueField.vue";
import {
  figure,
  lengthText,
  levelText,
  LOUDEST,
  parseLevel,
  parseTime,
  percentText,
  RATE,
  SILENCE,
  timeText,
} from "../../model/units";
import { useSession } from "../../stores/session";
import SliderRow from "../../desk/SliderRow.vue";

const session = useSession();
const desk = useDeskContext();
const levels = ref<Schema["Levels"]>();
const SHAPES = [
  { key: "linear", name: "straight" },
  { key: "equal-power", name: "equal power" },
  { key: "smooth", name: "smooth" },
  { key: "exponential", name: "late and steep" },
] as const;

const chosen = computed(() => {
  const id = desk.selection.clips[0];
  const track = session.document?.tracks.find((t) => id && id in t.clips);
  return id && track ? { id, track, clip: track.clips[id]! } : undefined;
});
const track = computed(
  () => chosen.value?.track ?? session.document?.tracks.find((t) => t.id === desk.selection.track),
);
const point = computed(() => {
  const c = chosen.value;
  const at = desk.selection.points[0];
  if (!c || desk.selection.line !== c.id || at === undefined) return undefined;
  const p = c.clip.envelope.find((q) => q.at === at);
  return p && { ...p, time: c.clip.start + p.at - c.clip.offset };
});
const pan = computed(() => {
  const p = Math.round((track.value?.pan ?? 0) * 100);
  return p === 0 ? "middle" : `${Math.abs(p)} % ${p < 0 ? "left" : "right"}`;
});

const rows = computed(() =>
  levels.value
    ? [
        { name: "Clip gain", value: levels.value.clipGain },
        { name: "Level line", value: levels.value.clipEnvelope },
        { name: "Fades", value: levels.value.fade },
        ...(levels.value.crossing < 0 ? [{ name: "Crossing", value: levels.value.crossing }] : []),
        { name: "Track level line", value: levels.value.trackEnvelope },
        { name: "Track fader", value: levels.value.fader },
      ].filter((r) => r.name !== "Track level line" || r.value !== 0)
    : [],
);

// The server says what acts on the level; it is asked again whenever the playhead or the session has moved.
const place = refThrottled(
  computed(() => ({ clip: chosen.value?.id, at: Math.round(desk.playhead.value), version: session.version })),
  100,
);
watch(
  place,
  async ({ clip, at }) => {
    const episode = session.episode?.id;
    if (!clip || !episode) {
      levels.value = undefined;
      return;
    }
    try {
      levels.value = await ask(
        api.GET("/episodes/{episode}/levels", { params: { path: { episode }, query: { clip, at } } }),
      );
    } catch {
      levels.value = undefined;
    }
  },
  { immediate: true },
);

function setFade(edge: "in" | "out", change: Partial<Schema["NewFade"]>, gesture?: string): void {
  const c = chosen.value!;
  const old = edge === "in" ? c.clip.fadeIn : c.clip.fadeOut;
  const length = Math.round(Math.max(0, Math.min(c.clip.length, change.length ?? old.length)));
  const fade = { length, shape: change.shape ?? old.shape };
  void session.edit({ type: "set-fades", fades: [{ clip: c.id, [edge]: fade }] }, gesture);
}

async function setPoint(change: { time?: number; level?: number }): Promise<void> {
  const { id, clip } = chosen.value!;
  const p = point.value!;
  const at = change.time === undefined ? p.at : Math.max(0, change.time - clip.start + clip.offset);
  const index = clip.envelope.findIndex((q) => q.at === p.at);
  await session.edit({ type: "move-points", moves: [{ clip: id, from: p.at, at, level: change.level ?? p.level }] });
  const moved = session.clip(id)?.envelope[index];
  if (moved && desk.selection.line === id) desk.selection.points = [moved.at];
}

function parsePan(text: string): number | undefined {
  const match = /^\s*([+-]?\d+)\s*%?\s*(l|left|r|right)?\s*$/i.exec(text);
  if (/^\s*(middle|centre|0)\s*$/i.test(text)) return 0;
  if (!match) return undefined;
  return ((match[2]?.toLowerCase().startsWith("l") ? -1 : 1) * Number(match[1])) / 100;
}
</script>

<template>
  <template v-if="chosen">
    <h2 class="cut" :title="chosen.clip.name">{{ chosen.clip.name }}</h2>
    <p class="soft">
      {{ chosen.track.name }} ·
      <span class="figures"
        >{{ timeText(chosen.clip.start, 1) }} – {{ timeText(chosen.clip.start + chosen.clip.length, 1) }}</span
      >
    </p>
    <hr class="panel-rule" />
    <div class="sum" aria-live="off">
      <h3>Level here</h3>
      <strong class="figures" data-level="total">{{ levels ? levelText(levels.total, true) : "…" }}</strong>
    </div>
    <p v-if="levels && !levels.audible" class="note">The track cannot be heard: it is muted, or another is soloed.</p>
    <p v-else-if="levels && !levels.inside" class="note">
      The playhead is outside the clip; this is its nearest frame.
    </p>
    <dl>
      <div v-for="r in rows" :key="r.name">
        <dt>{{ r.name }}</dt>
        <dd class="figures">{{ figure(r.value, true) }}</dd>
      </div>
    </dl>
    <hr class="panel-rule" />
    <h3>Clip</h3>
    <SliderRow
      label="Gain"
      :value="chosen.clip.gain"
      :text="levelText(chosen.clip.gain, true)"
      :parse="parseLevel"
      :min="-36"
      :max="LOUDEST"
      :step="0.5"
      @change="
        (gain: number, g?: string) => session.edit({ type: 'set-clips', clips: [{ clip: chosen!.id, gain }] }, g)
      "
    />
    <div v-if="point" class="point">
      <span>Point</span>
      <ValueField
        :value="point.time"
        :text="timeText(point.time)"
        :parse="parseTime"
        label="Time of the point"
        @change="(time: number) => setPoint({ time })"
      />
      <ValueField
        :value="point.level"
        :text="levelText(point.level, true)"
        :parse="parseLevel"
        label="Level of the point"
        @change="(level: number) => setPoint({ level })"
      />
      <span class="soft figures">{{ point.level <= SILENCE ? "0 %" : percentText(point.level) }}</span>
    </div>
    <p v-else class="soft hint">
      {{
        chosen.clip.envelope.length === 0
          ? "Click the level line in the clip to add points, then drag them."
          : "Choose a point on the level line to type its values."
      }}
    </p>
    <hr class="panel-rule" />
    <h3>Fades</h3>
    <template v-for="edge in ['in', 'out'] as const" :key="edge">
      <SliderRow
        :label="edge === 'in' ? 'In' : 'Out'"
        :value="(edge === 'in' ? chosen.clip.fadeIn : chosen.clip.fadeOut).length"
        :text="lengthText((edge === 'in' ? chosen.clip.fadeIn : chosen.clip.fadeOut).length)"
        :parse="parseTime"
        :min="0"
        :max="Math.min(chosen.clip.length, 12 * RATE)"
        :step="RATE / 20"
        @change="(length: number, g?: string) => setFade(edge, { length }, g)"
      />
      <el-select
        class="shape"
        size="small"
        :model-value="(edge === 'in' ? chosen.clip.fadeIn : chosen.clip.fadeOut).shape"
        :aria-label="`Shape of the fade ${edge}`"
        @change="(shape: Schema['NewFade']['shape']) => setFade(edge, { shape })"
      >
        <el-option v-for="s in SHAPES" :key="s.key" :value="s.key" :label="s.name" />
      </el-select>
    </template>
    <hr class="panel-rule" />
  </template>
  <template v-if="track">
    <h3>Track · {{ track.name }}</h3>
    <SliderRow
      label="Fader"
      :value="track.fader"
      :text="levelText(track.fader, true)"
      :parse="parseLevel"
      :min="-48"
      :max="LOUDEST"
      :step="0.5"
      @change="
        (fader: number, g?: string) => session.edit({ type: 'set-tracks', tracks: [{ track: track!.id, fader }] }, g)
      "
    />
    <SliderRow
      label="Pan"
      :value="track.pan"
      :text="pan"
      :parse="parsePan"
      :min="-1"
      :max="1"
      :step="0.05"
      @change="
        (value: number, g?: string) =>
          session.edit({ type: 'set-tracks', tracks: [{ track: track!.id, pan: value }] }, g)
      "
    />
  </template>
  <div v-if="!chosen && !track" class="none">
    <h2>Balance</h2>
    <p class="soft">
      Choose a clip to see what acts on its level at the playhead, and to set its gain, level line and fades. Choose a
      track for its fader and pan.
    </p>
  </div>
  <p v-else-if="!chosen" class="soft hint">Choose a clip to set its gain, level line and fades.</p>
</template>

<style scoped>
h2 {
  padding-right: 22px;
  font-size: 16px;
}
h3 {
  margin-bottom: 4px;
  font-size: 14px;
}
.sum {
  display: flex;
  justify-content: space-between;
}
.note {
  padding: 3px 8px;
  border-left: 3px solid var(--ink-soft);
  font-size: 12px;
}
dl {
  margin: 4px 0 0;
  font-size: 12.5px;
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
.point {
  display: grid;
  grid-template-columns: 66px 76px 80px 1fr;
  gap: 4px;
  align-items: center;
  font-size: 13px;
}
.point .soft {
  font-size: 11px;
  text-align: right;
}
.hint {
  margin-top: 6px;
  font-size: 12.5px;
}
.shape {
  width: 140px;
  margin: 0 0 6px 78px;
}
.none {
  display: grid;
  gap: 10px;
}
</style>
