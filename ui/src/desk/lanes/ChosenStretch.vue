<script setup lang="ts">
import { computed } from "vue";
import { lengthText } from "../../model/units";
import { useSession } from "../../stores/session";
import { useDeskContext } from "../state/context";

/** The chosen stretch as it lies on a track, over its clips. */
const props = defineProps<{ track: string }>();
/** Pixels that its length needs. */
const LABEL = 52;
const session = useSession();
const desk = useDeskContext();
const range = computed(() => {
  const r = desk.selection.range;
  return r && (!r.tracks || r.tracks.includes(props.track)) ? r : undefined;
});
const place = computed(
  () =>
    range.value && {
      left: `${desk.time.laidX(range.value.from)}px`,
      width: `${(range.value.to - range.value.from) / desk.time.laid.scale}px`,
    },
);
/** Its length is told once, on the track that it is chosen on first: in it, or beside it where it is narrow. */
const told = computed(() => {
  const r = range.value;
  const first = session.document?.tracks.find((t) => !r?.tracks || r.tracks.includes(t.id));
  if (!r || first?.id !== props.track) return undefined;
  return (r.to - r.from) / desk.time.laid.scale > LABEL ? "inside" : "beside";
});
</script>

<template>
  <div v-if="range" class="range" :style="place">
    <span v-if="told" class="figures" :class="told">{{ lengthText(range.to - range.from) }}</span>
  </div>
</template>

<style scoped>
/* Over the clips that it is on, and still to be seen through. */
.range {
  position: absolute;
  inset-block: 0;
  z-index: 3;
  border-inline: 1px solid var(--ink);
  background: var(--stretch);
  pointer-events: none;
}
.range span {
  position: absolute;
  bottom: 2px;
  padding: 0 4px;
  border-radius: var(--radius-small);
  background: var(--sheet);
  font-size: var(--type-small);
  line-height: 14px;
  white-space: nowrap;
}
.range .inside {
  right: 2px;
}
.range .beside {
  left: calc(100% + 2px);
}
</style>
