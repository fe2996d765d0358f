<script setup lang="ts">
import { computed } from "vue";
import { useActs } from "../../desk/acts/acts";
import { useDeskContext } from "../../desk/state/context";
import ValueField from "../../desk/widgets/ValueField.vue";
import { figure, lengthText, parseLevel, parseTime } from "../../model/units";

/** Puts four points on the level line of music or an effect: down before the words, and back up after them. */
const props = defineProps<{ id: string }>();
const desk = useDeskContext();
const acts = useActs(desk);
const stretch = computed(() => acts.range());
</script>

<template>
  <h3>Dip</h3>
  <p class="soft hint">
    {{
      stretch
        ? "Down before the chosen stretch, low until its end, back up after it."
        : "Down before the first word that is spoken over the clip, low until after the last, back up."
    }}
  </p>
  <div class="values">
    <label>
      By
      <ValueField
        :value="acts.dip.value.by"
        :text="`${figure(acts.dip.value.by, true)} dB`"
        :parse="parseLevel"
        label="Depth of the dip"
        @change="(by: number) => (acts.dip.value.by = -Math.abs(by))"
      />
    </label>
    <label>
      Down in
      <ValueField
        :value="acts.dip.value.before"
        :text="lengthText(acts.dip.value.before)"
        :parse="parseTime"
        label="Time of the way down"
        @change="(before: number) => (acts.dip.value.before = Math.max(1, before))"
      />
    </label>
    <label>
      Up in
      <ValueField
        :value="acts.dip.value.after"
        :text="lengthText(acts.dip.value.after)"
        :parse="parseTime"
        label="Time of the way up"
        @change="(after: number) => (acts.dip.value.after = Math.max(1, after))"
      />
    </label>
  </div>
  <button class="plain-button" @click="acts.dipUnder(props.id)">
    {{ stretch ? "Dip under the stretch" : "Dip under the speech" }}
  </button>
</template>

<style scoped>
h3 {
  margin-bottom: 2px;
  font-size: var(--type-body);
}
.hint {
  font-size: var(--type-hint);
}
.values {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 8px;
  margin: 4px 0;
  font-size: var(--type-hint);
}
.values :deep(input) {
  text-align: left;
}
.values label {
  display: grid;
  white-space: nowrap;
}
</style>
