<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import { computed } from "vue";
import { useBalance } from "../../stores/balance";
import { useSession } from "../../stores/session";
import { makeRoom } from "../acts/makeRoom";
import { useDeskContext } from "../state/context";
import { leadText } from "./leading";

/** How far speech leads on the whole, and what is aimed at. */
defineProps<{ missed: boolean }>();
const session = useSession();
const desk = useDeskContext();
const balance = useBalance();
const aim = computed(() => balance.shown?.target);
const speaks = computed(() => balance.shown?.typical !== undefined);
const told = computed(() => {
  const { typical, lowest } = balance.shown ?? {};
  if (typical === undefined) return "Voice lead: nobody speaks yet";
  return `Voice lead: typically ${leadText(typical)} LU, lowest ${leadText(lowest!)}, ${aim.value?.lead} aimed at`;
});
const about = computed(() => (balance.shown?.measured ? "" : "≈ "));

function choose(lead: string): void {
  void session.edit({ type: "set-lead", lead });
}
</script>

<template>
  <div class="lead-card" role="rowheader" tabindex="-1" data-stop="lead" data-holds :aria-label="told">
    <h2>
      Voice lead
      <small v-if="balance.progress !== undefined" class="soft figures"
        >measuring {{ Math.round(100 * balance.progress) }} %</small
      >
      <button v-else-if="missed" class="plain-button make" title="See what would make it" @click="makeRoom(desk)">
        Make room…
      </button>
      <small v-else class="soft">over all else</small>
    </h2>
    <p
      class="figures numbers"
      :title="balance.shown?.measured ? 'As measured in the mix' : 'Estimated; being measured'"
    >
      <template v-if="speaks"
        ><strong data-lead="typical">{{ about }}{{ leadText(balance.shown!.typical!) }} LU</strong>
        <span :class="missed ? 'alarm' : 'soft'"> · low {{ leadText(balance.shown!.lowest!) }}</span></template
      >
      <span v-else class="soft">–</span>
    </p>
    <el-select
      v-bind="readOut"
      size="small"
      class="aim"
      :model-value="aim?.key"
      aria-label="The voice lead that is aimed at"
      @change="choose"
    >
      <el-option v-for="a in balance.aims" :key="a.key" :value="a.key" :label="`${a.name} ${a.lead}`">
        <span :title="a.source">{{ a.name }}, {{ a.lead }} LU</span>
      </el-option>
    </el-select>
  </div>
</template>

<style scoped>
.lead-card {
  position: relative;
  display: grid;
  grid-template: 22px 1fr / 1fr 92px;
  align-content: start;
  column-gap: 4px;
  width: var(--card-width);
  flex: none;
  padding: 4px 8px 4px 12px;
  border-left: 5px solid var(--ink);
  background: var(--sheet);
  border-right: 1px solid var(--rule);
}
h2 {
  grid-column: 1 / 3;
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 6px;
  font-size: var(--type-label);
  white-space: nowrap;
}
small {
  font-weight: 400;
  font-size: var(--type-small);
}
.numbers {
  margin: 0;
  font-size: var(--type-small);
  line-height: 15px;
  white-space: nowrap;
}
.numbers strong {
  display: block;
  font-size: var(--type-text);
}
@media (max-width: 1100px) {
  .lead-card {
    grid-template-columns: minmax(0, 1fr) 74px;
    padding-right: 4px;
  }
  .aim :deep(.el-select__wrapper) {
    gap: 1px;
    padding: 0 4px;
  }
  h2 small:not(.figures) {
    display: none;
  }
}
.make {
  padding: 0 7px;
  font-size: var(--type-small);
  line-height: 17px;
}
</style>
