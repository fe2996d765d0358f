<script setup lang="ts">
import { computed } from "vue";
import type { Part, Schema } from "../../api/client";
import { nameOn } from "../../drawing/outline";
import { useDeskContext } from "../state/context";

/** The name of a clip whose beginning has been scrolled away. */
const props = defineProps<{ clips: { clip: Schema["Clip"] }[]; part: Part }>();
const desk = useDeskContext();

/** The clip whose beginning has been scrolled away: its name stays in sight. */
const held = computed(() => {
  const { start } = desk.time;
  for (let i = props.clips.length - 1; i >= 0; i--) {
    const { clip } = props.clips[i]!;
    if (clip.start < start && clip.start + clip.length > start) return clip;
  }
  return undefined;
});
const heldRoom = computed(() => held.value && Math.min(400, desk.time.x(held.value.start + held.value.length)));
</script>

<template>
  <div
    v-if="held && heldRoom! > 40"
    class="held cut"
    :class="[part, { silenced: held.silent }]"
    :style="{ maxWidth: `${heldRoom}px` }"
    aria-hidden="true"
  >
    {{ nameOn(held) }}
  </div>
</template>

<style scoped>
.held {
  position: absolute;
  top: 6px;
  left: 0;
  padding: 0 7px;
  color: var(--ink-inverse);
  font-size: var(--type-small);
  font-weight: 700;
  line-height: 18px;
  pointer-events: none;
}
.held.folded {
  top: 3px;
  line-height: 20px;
}
.held.voice {
  background: var(--voice);
}
.held.music {
  background: var(--music);
}
.held.effect {
  background: var(--effect);
}
.held.silenced {
  background: var(--ink-soft);
}
</style>
