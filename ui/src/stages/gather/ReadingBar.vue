<script setup lang="ts">
import { Check, Minus, Pause, Play, Plus, X } from "lucide-vue-next";
import { useDeskContext } from "../../desk/state/context";
import { timeText } from "../../model/units";

/** Over the script in large type: how fast it goes, how large it is, how long it is still. */
defineProps<{ pace: number; left: number; reader?: boolean }>();
const running = defineModel<boolean>("running", { required: true });
defineEmits<{ pace: [by: number]; size: [by: number]; mark: [] }>();
const desk = useDeskContext();
</script>

<template>
  <div class="bar">
    <button class="plain-button" :aria-pressed="running" @click="running = !running">
      <component :is="running ? Pause : Play" :size="14" />{{ running ? "Hold" : "Scroll" }} <kbd>S</kbd>
    </button>
    <span class="group">
      <button class="small" aria-label="Slower" title="Slower (←)" @click="$emit('pace', -10)">
        <Minus :size="14" />
      </button>
      <span class="figures">{{ pace }} words/min</span>
      <button class="small" aria-label="Faster" title="Faster (→)" @click="$emit('pace', 10)">
        <Plus :size="14" />
      </button>
    </span>
    <span class="group">
      <button class="small" aria-label="Smaller type" title="Smaller (−)" @click="$emit('size', -2)">A</button>
      <button class="small large" aria-label="Larger type" title="Larger (+)" @click="$emit('size', 2)">A</button>
    </span>
    <span class="soft figures left">{{ timeText(left, 0) }} left</span>
    <button v-if="!reader" class="plain-button" @click="$emit('mark')">
      <Check :size="14" />Recorded <kbd>M</kbd>
    </button>
    <button
      v-if="!reader"
      class="small"
      aria-label="Put the script away"
      title="Close (Esc)"
      @click="desk.reading.value = false"
    >
      <X :size="16" />
    </button>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 8px 18px;
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-text);
}
.group {
  display: flex;
  align-items: center;
  gap: 6px;
}
.left {
  flex: 1;
}
.small {
  display: grid;
  place-items: center;
  min-width: 26px;
  height: 26px;
  padding: 0;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius-button);
  background: none;
  cursor: pointer;
}
.small.large {
  font-size: var(--type-title);
}
kbd {
  color: var(--ink-soft);
  font: var(--type-small) var(--figures);
}
</style>
