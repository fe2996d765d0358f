<script setup lang="ts">
import { ElOption, ElSelect, ElSwitch } from "element-plus";
import { readOut } from "../../talk/readOut";
import { Mic, Square } from "lucide-vue-next";
import { computed, onMounted, watch } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { toggleRecord } from "../../desk/transport/transport";
import ValueField from "../../desk/widgets/ValueField.vue";
import { RATE, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import InputMeter from "./InputMeter.vue";
import ScriptCard from "./ScriptCard.vue";
import TakeList from "./TakeList.vue";

const session = useSession();
const desk = useDeskContext();
const { recorder } = desk;
const voices = computed(() => session.document?.tracks.filter((t) => t.part === "voice") ?? []);
const armed = computed({
  get: () => (voices.value.some((t) => t.id === desk.armed.value) ? desk.armed.value : (voices.value[0]?.id ?? "")),
  set: (id: string) => (desk.armed.value = id),
});
const waiting = computed(() => Math.max(0, (recorder.state.recorded - recorder.state.kept) / RATE));
const longest = computed(() => {
  const minutes = Math.round(recorder.state.longest / 60);
  return minutes > 0 && minutes % 60 === 0
    ? `up to ${minutes / 60} hours`
    : minutes > 0
      ? `up to ${minutes} minutes`
      : "";
});
const millis = computed(() => Math.round((recorder.choices.late * 1000) / RATE));

onMounted(() => recorder.prepare());
watch(recorder.choices, () => recorder.keepChoices(), { deep: true });

function chooseInput(id: string): void {
  recorder.choices.input = id;
  void recorder.open();
}

function chooseSides(stereo: boolean): void {
  recorder.choices.stereo = stereo;
  if (recorder.state.phase === "ready") void recorder.open();
}

function parseMillis(text: string): number | undefined {
  const value = Number.parseFloat(text.replace(",", "."));
  return Number.isFinite(value) ? Math.min(500, Math.max(-500, value)) : undefined;
}
</script>

<template>
  <div class="record">
    <label class="field">
      <span class="label">Input</span>
      <el-select
        v-bind="readOut"
        :model-value="recorder.choices.input"
        size="small"
        placeholder="Choose an input"
        aria-label="Input"
        :disabled="recorder.busy"
        @change="chooseInput"
      >
        <el-option v-for="i in recorder.state.inputs" :key="i.id" :value="i.id" :label="i.name" />
      </el-select>
    </label>
    <div v-if="recorder.state.fault" class="fault" role="alert">
      <p class="alarm">{{ recorder.state.fault }}</p>
      <button class="plain-button" @click="recorder.open()">Try again</button>
    </div>
    <button v-else-if="recorder.state.phase === 'closed'" class="plain-button wide" @click="recorder.open()">
      Listen to the input
    </button>
    <p v-else-if="recorder.state.phase === 'opening'" class="soft">Opening the input…</p>
    <InputMeter v-else />
    <div class="pair">
      <label class="field">
        <span class="label">Track</span>
        <el-select
          v-bind="readOut"
          v-model="armed"
          size="small"
          placeholder="a new one"
          aria-label="Track to record onto"
          :disabled="recorder.busy"
        >
          <el-option v-for="t in voices" :key="t.id" :value="t.id" :label="t.name" />
        </el-select>
      </label>
      <el-select
        v-bind="readOut"
        class="sides"
        :model-value="recorder.choices.stereo"
        size="small"
        aria-label="Mono or stereo"
        :disabled="recorder.busy"
        @change="chooseSides"
      >
        <el-option :value="false" label="Mono" />
        <el-option :value="true" label="Stereo" />
      </el-select>
    </div>
    <div class="switches">
      <label
        ><el-switch v-model="recorder.choices.countIn" size="small" aria-label="Count in" /> Count in 3, 2, 1</label
      >
      <label title="No headphones: while recording, nothing else is heard in the room">
        <el-switch
          v-model="recorder.choices.openRoom"
          size="small"
          aria-label="Open microphone"
          :disabled="recorder.busy"
        />
        Open microphone, mute the rest
      </label>
      <label title="How much earlier a take is placed, if what you say comes late against what you hear">
        Takes come late by
        <ValueField
          :value="millis"
          :text="`${millis} ms`"
          :parse="parseMillis"
          label="Takes come late by, in ms"
          @change="recorder.choices.late = Math.round(($event * RATE) / 1000)"
        />
      </label>
    </div>
    <button
      v-if="!recorder.busy"
      class="plain-button filled wide"
      :disabled="!session.document"
      @click="toggleRecord(desk)"
    >
      <Mic :size="15" />Record at {{ timeText(desk.playhead.value) }}
    </button>
    <p v-if="!recorder.busy && longest" class="soft">One take can last {{ longest }}.</p>
    <div v-if="recorder.busy" class="going" :class="recorder.state.phase">
      <p v-if="recorder.state.phase === 'counting'" class="count">{{ recorder.state.count || "…" }}</p>
      <template v-else>
        <p class="figures clock">{{ timeText(recorder.state.recorded, 1) }}</p>
        <p v-if="recorder.ending !== undefined" class="alarm">
          A take can last {{ longest }}. This one ends, and is kept, in
          {{ timeText(Math.max(0, recorder.ending) * RATE, 0) }}.
        </p>
        <p v-if="recorder.state.trouble" class="alarm">
          {{ recorder.state.trouble }}
          {{
            recorder.state.phase === "saving"
              ? "The last of it waits here and is sent as soon as it can be: leave this window open."
              : `Go on speaking: ${waiting.toFixed(0)} s wait here and are sent as soon as they can be.`
          }}
        </p>
        <p v-else class="soft">
          {{
            recorder.state.phase === "saving"
              ? "Saving the last of it…"
              : waiting > 3
                ? `${waiting.toFixed(0)} s on their way`
                : "Kept as you speak"
          }}
        </p>
      </template>
      <div v-if="recorder.state.phase !== 'saving'" class="acts">
        <button class="plain-button filled" @click="recorder.stop()">
          <Square :size="12" fill="currentColor" />Stop
        </button>
        <button v-if="recorder.state.phase === 'recording'" class="plain-button" @click="recorder.stop(true)">
          Stop and remove
        </button>
      </div>
    </div>
    <p v-if="recorder.state.problem" class="alarm" role="alert">{{ recorder.state.problem }}</p>
    <TakeList />
    <ScriptCard />
  </div>
</template>

<style scoped>
.record {
  display: grid;
  gap: 9px;
  font-size: var(--type-text);
}
.field {
  display: flex;
  align-items: center;
  gap: 8px;
}
.label {
  flex: none;
  width: 40px;
}
.pair {
  display: grid;
  grid-template-columns: 1fr 88px;
  gap: 8px;
}
.switches {
  display: grid;
  gap: 5px;
}
.switches label {
  display: flex;
  align-items: center;
  gap: 8px;
}
.switches :deep(input.figures) {
  width: 64px;
}
.wide {
  justify-content: center;
}
.fault {
  display: grid;
  gap: 6px;
  justify-items: start;
}
.going {
  display: grid;
  gap: 6px;
  padding: 10px;
  border: 2px solid var(--alarm);
  border-radius: var(--radius);
  text-align: center;
}
.going.saving {
  border-color: var(--rule-strong);
}
.count {
  font-size: var(--type-take);
  font-weight: 700;
  line-height: 1;
}
.clock {
  font-size: var(--type-page);
  font-weight: 600;
}
.acts {
  display: flex;
  gap: 6px;
  justify-content: center;
}
</style>
