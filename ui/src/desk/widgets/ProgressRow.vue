<script setup lang="ts">
import { X } from "lucide-vue-next";
import { leftText } from "../../model/units";

defineProps<{ name: string; doing: string; progress: number; left: number; problem: string; again?: boolean }>();
defineEmits<{ stop: []; again: [] }>();
</script>

<template>
  <div class="row" :class="{ failed: problem }">
    <div class="text">
      <template v-if="problem">
        <p class="problem">{{ problem }}</p>
        <button v-if="again" class="plain-button" @click="$emit('again')">Begin again</button>
      </template>
      <template v-else>
        <p class="cut" :title="name">{{ name }}</p>
        <p class="soft">
          {{ doing }} · {{ Math.round(progress * 100) }} % {{ leftText(left) && "· " + leftText(left) }}
        </p>
        <progress :value="progress" max="1" :aria-label="`${doing} ${name}`"></progress>
      </template>
    </div>
    <button
      class="stop"
      :aria-label="problem ? `Close the message about ${name}` : `Cancel ${name}`"
      :title="problem ? 'Close' : 'Cancel'"
      @click="$emit('stop')"
    >
      <X :size="15" />
    </button>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-small);
}
.text {
  flex: 1;
  min-width: 0;
}
.problem {
  color: var(--alarm);
  overflow-wrap: anywhere;
}
progress {
  width: 100%;
  height: 5px;
  accent-color: var(--ink);
}
.stop {
  display: grid;
  align-self: start;
  padding: 3px;
  border: 0;
  background: none;
  cursor: pointer;
}
</style>
