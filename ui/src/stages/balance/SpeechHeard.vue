<script setup lang="ts">
import { computed } from "vue";
import type { Schema } from "../../api/client";
import SliderRow from "../../desk/widgets/SliderRow.vue";
import { levelText, parseLevel } from "../../model/units";
import { useSession } from "../../stores/session";

/** With how much sensitivity speech is found in a recording: for the exceptional one alone. */
const props = defineProps<{ clip: Schema["Clip"] }>();
const session = useSession();

/** dB by which a voice may be softer than usual, or must be louder; the document refuses more. */
const MOST = 12;
const now = computed(() => session.document?.sounds[props.clip.sound]?.sensitivity ?? 0);
const text = computed(() => (now.value === 0 ? "as usual" : levelText(now.value, true)));

function parse(typed: string): number | undefined {
  if (/^\s*as usual\s*$/i.test(typed)) return 0;
  const level = parseLevel(typed);
  return level === undefined ? undefined : Math.min(MOST, Math.max(-MOST, level));
}

function set(sensitivity: number, gesture?: string): void {
  void session.edit({ type: "set-sensitivity", sound: props.clip.sound, sensitivity }, gesture);
}
</script>

<template>
  <div
    title="Where the rule under the clip misses speech, or takes something else for it: how much softer a voice may be"
  >
    <SliderRow
      label="Sensitivity"
      :value="now"
      :text="text"
      :parse="parse"
      :min="-MOST"
      :max="MOST"
      :step="1"
      :normal="0"
      @change="set"
    />
  </div>
</template>
