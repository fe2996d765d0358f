<script setup lang="ts">
import { ChevronDown, Plus } from "lucide-vue-next";
import { computed, ref } from "vue";
import type { Schema } from "../../api/client";
import { useDeskContext } from "../../desk/state/context";
import { figure, SILENCE, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import HearButton from "./HearButton.vue";
import MiniWave from "./MiniWave.vue";
import SoundDetails from "./SoundDetails.vue";

const props = defineProps<{ sound: Schema["ShowSound"]; open: boolean }>();
defineEmits<{ toggle: [] }>();
const session = useSession();
const desk = useDeskContext();
const range = ref<{ from: number; to: number }>();
/** A drag on the wave marks a stretch; anywhere else it picks the whole up. */
const onWave = ref(false);

const address = computed(() => `/sounds/${props.sound.id}/audio`);
const hearing = computed(() => desk.hearing.state.address === address.value);
const uses = computed(() => {
  let n = 0;
  for (const track of session.document?.tracks ?? [])
    n += Object.values(track.clips).filter((c) => c.sound === props.sound.id).length;
  if (n === 0) return props.sound.used > 0 ? "elsewhere" : "";
  return n === 1 ? "used" : n === 2 ? "used twice" : `used ${n} times`;
});

/** Hears it, or the marked stretch of it. */
function hear(from = range.value?.from ?? 0): void {
  desk.hearing.hear(address.value, from, range.value && from < range.value.to ? range.value.to : Infinity);
}

function insert(): void {
  const { id, name, part } = props.sound;
  const track = session.document?.tracks.find((t) => t.id === desk.selection.track && t.part === part)?.id;
  const start = Math.round(desk.playhead.value);
  const stretch = range.value && { offset: range.value.from, length: range.value.to - range.value.from };
  void session.edit({ type: "insert-clip", sound: id, start, track, part, name, ...stretch });
}

function dragStart(event: DragEvent): void {
  const stretch = range.value ?? { from: 0, to: 0 };
  event.dataTransfer?.setData("application/x-ruvel-sound", JSON.stringify({ sound: props.sound.id, ...stretch }));
}
</script>

<template>
  <li :data-sound="sound.name" :class="{ open }">
    <div class="row" :draggable="!onWave" @dragstart="dragStart">
      <HearButton
        :name="sound.name"
        :part="sound.part as 'voice'"
        :hearing="hearing"
        @hear="hear()"
        @stop="desk.hearing.stop()"
      />
      <div class="about">
        <div class="line">
          <button
            class="name cut"
            :title="sound.name"
            :aria-expanded="open"
            @click="$emit('toggle')"
            @keydown.enter.ctrl.prevent="insert"
          >
            <ChevronDown :size="13" class="sign" aria-hidden="true" /><span class="cut">{{ sound.name }}</span>
          </button>
          <span v-if="sound.need.missing.length > 0" class="missing" title="Something is missing for its credit"
            >no credit yet</span
          >
          <span v-else class="soft uses">{{ uses }}</span>
          <button
            class="row-button"
            :aria-label="`Insert ${sound.name} at the playhead`"
            :title="range ? 'Insert the marked stretch at the playhead' : 'Insert at the playhead'"
            @click="insert"
          >
            <Plus :size="14" />
          </button>
        </div>
        <MiniWave
          :source="sound.id"
          :length="sound.length"
          :part="sound.part as 'voice'"
          :name="sound.name"
          :at="hearing ? desk.hearing.state.at : undefined"
          :range="range"
          :tall="open"
          @hear="hear"
          @mark="range = $event"
          @pointerenter="onWave = true"
          @pointerleave="onWave = false"
        />
        <p class="soft facts" :title="`${sound.rate / 1000} kHz`">
          {{ sound.channels === 1 ? "Mono" : "Stereo" }} · {{ timeText(sound.length, 0) }} ·
          {{
            sound.loudness.integrated > SILENCE
              ? `${figure(sound.loudness.integrated)} LUFS · ${figure(sound.loudness.truePeak)} dBTP`
              : "silent"
          }}
        </p>
      </div>
    </div>
    <SoundDetails v-if="open" v-model:range="range" :sound="sound" @insert="insert" />
  </li>
</template>

<style scoped src="./row.css"></style>
<style scoped>
li {
  border-bottom: 1px solid var(--rule);
}
.row {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 7px 0;
  cursor: grab;
}
.open .row {
  align-items: start;
}
.name {
  display: flex;
  align-items: center;
  gap: 3px;
  flex: 1;
  min-width: 0;
  padding: 0;
  border: 0;
  background: none;
  font-weight: 700;
  text-align: left;
  cursor: pointer;
}
.sign {
  flex: none;
  color: var(--ink-soft);
  transform: rotate(-90deg);
}
.open .sign {
  transform: none;
}
.uses,
.missing {
  flex: none;
  font-size: var(--type-small);
}
.missing {
  color: var(--alarm);
}
</style>
