<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { computed } from "vue";
import type { Schema } from "../../api/client";
import { useActs } from "../../desk/acts";
import { useDeskContext } from "../../desk/context";
import SliderRow from "../../desk/SliderRow.vue";
import { useLists } from "../../stores/lists";
import { useSession } from "../../stores/session";
import { STAGES, type Setting, type Stage } from "./stages";
import TransferCurve from "./TransferCurve.vue";

/** The treatment of a track, and of those that were chosen with it: which stages are on, and their settings. */
const props = defineProps<{ track: Schema["Track"] }>();
const session = useSession();
const lists = useLists();
const acts = useActs(useDeskContext());

/** Also of what is off, so that it can be switched on. */
const treatment = computed<Schema["Treatment"] | undefined>(
  () => lists.treatment && { ...lists.treatment, ...props.track.treatment },
);
const many = computed(() => (acts.chosenTracks().includes(props.track.id) ? acts.chosenTracks() : [props.track.id]));
const settings = (stage: Stage) => treatment.value![stage.key] as unknown as Values;
const on = (stage: Stage) => settings(stage).on === true;
const dynamic = computed(() => STAGES.some((s) => s.key !== "lowCut" && on(s)));

type Values = Record<string, number | boolean | string>;

/** Changes some settings of a stage, of the treatment as it is when the turn of this comes: others may be on their way. */
function change(stage: Stage, values: Values, gesture?: string): void {
  const ids = many.value;
  void session.edit(() => {
    const track = session.document?.tracks.find((t) => t.id === props.track.id);
    if (!track) return undefined;
    const before = { ...lists.treatment!, ...track.treatment };
    const now = { ...(before[stage.key] as unknown as Values), ...values };
    // The two thresholds of a gate push each other along.
    if (stage.key === "gate" && "open" in values) now.close = Math.min(now.close as number, now.open as number);
    if (stage.key === "gate" && "close" in values) now.open = Math.max(now.close as number, now.open as number);
    const treatment = { ...before, [stage.key]: now };
    return { type: "set-tracks", tracks: ids.map((id) => ({ track: id, treatment })) };
  }, gesture);
}

const value = (stage: Stage, s: Setting) => settings(stage)[s.key] as number;
</script>

<template>
  <template v-if="treatment">
    <h3>Treatment</h3>
    <p v-if="many.length > 1" class="soft hint">The {{ many.length }} chosen tracks are given the same.</p>
    <template v-for="stage in STAGES" :key="stage.key">
      <label class="stage">
        <input
          type="checkbox"
          :checked="on(stage)"
          @change="change(stage, { on: ($event.target as HTMLInputElement).checked })"
        />
        {{ stage.name }} <span class="soft hint">{{ stage.does }}</span>
      </label>
      <template v-if="on(stage)">
        <SliderRow
          v-for="s in stage.settings"
          :key="s.key"
          :label="s.name"
          :value="value(stage, s)"
          :text="s.text(value(stage, s))"
          :parse="s.parse"
          :min="s.min"
          :max="s.max"
          :step="s.step"
          :normal="(lists.treatment![stage.key] as unknown as Record<string, number>)[s.key]"
          @change="(v: number, g?: string) => change(stage, { [s.key]: Math.min(s.max, Math.max(s.min, v)) }, g)"
        />
        <el-select
          v-if="stage.key === 'compressor'"
          class="detector"
          size="small"
          :model-value="treatment.compressor?.detector"
          aria-label="What the compressor goes by"
          @change="(detector: string) => change(stage, { detector })"
        >
          <el-option value="level" label="goes by the level of 10 ms" />
          <el-option value="peak" label="goes by peaks" />
        </el-select>
        <p v-if="stage.key === 'compressor' && treatment.compressor?.ratio === 1" class="soft hint">
          At 1:1 it does nothing yet.
        </p>
      </template>
    </template>
    <TransferCurve v-if="dynamic" :treatment="treatment" />
    <p v-if="STAGES.some(on)" class="soft hint">
      It is heard and delivered. The waves on the desk, and the level at the pointer, are those before it.
    </p>
  </template>
</template>

<style scoped>
h3 {
  margin-bottom: 4px;
  font-size: 14px;
}
.hint {
  font-size: 12.5px;
}
.detector {
  width: 198px;
  margin: 2px 0 6px 78px;
}
.stage {
  display: flex;
  align-items: baseline;
  gap: 6px;
  min-height: 26px;
  font-size: 13px;
}
</style>
