<script setup lang="ts">
import { useDeskContext } from "../../desk/state/context";
import { useHandover } from "../../stores/handover";

/** What the check says must be mended before anything is handed over. */
defineEmits<{ overrule: [] }>();
const handover = useHandover();
const desk = useDeskContext();

function goThere(): void {
  handover.musts = [];
  desk.checkTab.value = "findings";
  desk.stage.value = "check";
}
</script>

<template>
  <section class="must" role="alert">
    <h3>{{ handover.musts.length === 1 ? "One thing" : `${handover.musts.length} things` }} must be mended first</h3>
    <p v-for="text in handover.musts.slice(0, 4)" :key="text">{{ text }}</p>
    <p v-if="handover.musts.length > 4" class="soft">and {{ handover.musts.length - 4 }} more</p>
    <div class="acts">
      <button class="plain-button filled" @click="goThere">Show it in Check</button>
      <button class="plain-button" @click="$emit('overrule')">Mix down all the same</button>
    </div>
  </section>
</template>

<style scoped>
.must {
  margin-bottom: 10px;
  padding: 8px 10px;
  border: 1px solid var(--rule-strong);
  border-left: 4px solid var(--alarm);
  border-radius: var(--radius);
  font-size: var(--type-hint);
}
h3 {
  margin-bottom: 4px;
  font-size: var(--type-label);
}
p {
  margin-bottom: 4px;
  overflow-wrap: anywhere;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 6px;
}
.acts .plain-button {
  padding: 4px 9px;
  font-size: var(--type-hint);
}
</style>
