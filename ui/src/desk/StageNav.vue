<script setup lang="ts">
import { computed } from "vue";
import { useCheck } from "../stores/check";
import { useMixdowns } from "../stores/mixdowns";
import { useSession } from "../stores/session";
import { useSounds } from "../stores/sounds";
import { useDeskContext, type Stage } from "./state/context";
import { STAGE_NAMES } from "./state/stages";

/** The stages of the work, in its order. */
const session = useSession();
const sounds = useSounds();
const mixdowns = useMixdowns();
const check = useCheck();
const desk = useDeskContext();
const stages = (Object.keys(STAGE_NAMES) as Stage[]).map((key) => ({ key, name: STAGE_NAMES[key] }));

const findings = computed(() => (check.waiting === 1 ? "One finding waits" : `${check.waiting} findings wait`));

/** What has been done in a stage shows as a filled mark. */
const begun = computed<Record<Stage, boolean>>(() => ({
  gather: sounds.list.length > 0,
  arrange: session.length > 0,
  balance: (session.document?.tracks ?? []).some(
    (t) => t.fader !== 0 || Object.values(t.clips).some((c) => c.envelope.length > 0 || c.fadeIn.length > 0),
  ),
  check: check.waiting === 0 && check.now !== undefined && session.length > 0,
  handover: mixdowns.list.length > 0,
}));
</script>

<template>
  <nav aria-label="Stages">
    <button
      v-for="stage in stages"
      :key="stage.key"
      class="stage"
      :class="{ current: desk.stage.value === stage.key }"
      :data-waiting="stage.key === 'check' && check.waiting > 0 ? check.waiting : undefined"
      :title="stage.key === 'check' && check.waiting > 0 ? findings : undefined"
      :aria-current="desk.stage.value === stage.key ? 'step' : undefined"
      @click="desk.stage.value = stage.key"
    >
      <span class="mark" :class="{ begun: begun[stage.key] }"></span>{{ stage.name }}
    </button>
  </nav>
</template>

<style scoped>
nav {
  display: flex;
  align-self: stretch;
  flex: 1;
  justify-content: center;
}
.stage {
  display: flex;
  align-items: center;
  gap: 9px;
  padding: 0 13px;
  border: 0;
  white-space: nowrap;
  border-bottom: 3px solid transparent;
  background: none;
  font-weight: 600;
  color: var(--ink-soft);
  cursor: pointer;
}
.stage.current {
  border-bottom-color: var(--ink);
  color: var(--ink);
}
.stage[data-waiting]::after {
  content: attr(data-waiting);
  box-sizing: border-box;
  min-width: 18px;
  margin-left: 6px;
  padding: 0 5px;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius-bubble);
  background: var(--sheet);
  color: var(--ink);
  font-size: var(--type-small);
  line-height: 17px;
  font-family: var(--figures);
  text-align: center;
}
.mark {
  width: 9px;
  height: 9px;
  border: 1.5px solid var(--ink-soft);
  border-radius: var(--radius-round);
}
.mark.begun {
  background: var(--ink-soft);
}
.current .mark {
  border-color: var(--ink);
}
.current .mark.begun {
  background: var(--ink);
}
@media (max-width: 900px) {
  nav {
    flex-basis: 100%;
    order: 1;
    justify-content: flex-start;
    overflow: auto hidden;
  }
  .stage {
    min-height: 38px;
  }
}
@media (max-width: 1180px) {
  .stage {
    padding: 0 9px;
  }
}
</style>
