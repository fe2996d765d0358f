<script setup lang="ts">
import { ListChecks } from "lucide-vue-next";
import { computed, ref } from "vue";
import type { Schema } from "../../api/client";
import { useCheck } from "../../stores/check";
import { useSession } from "../../stores/session";
import FindingCard from "./FindingCard.vue";
import LimitsCard from "./LimitsCard.vue";
import { WEIGHTS } from "../../desk/acts/findings";

/** What a second pair of ears would say, worst first. */
const session = useSession();
const check = useCheck();
const showAside = ref(false);
const showLimits = ref(false);
const order = ["must", "should", "look"] as const;

const groups = computed(() =>
  order
    .map((weight) => ({ weight, found: check.open.filter((f) => f.weight === weight) }))
    .filter((g) => g.found.length > 0),
);
const state = computed(() => {
  if (!check.now) return "Listening to the whole show…";
  return check.current ? "" : "Measuring the mix; what is said of it as a whole follows…";
});

function mend(kind: Schema["KindOf"]): void {
  void session.edit(kind.op as Parameters<typeof session.edit>[0]);
}
</script>

<template>
  <div>
    <p v-if="check.problem" class="alarm" role="alert">{{ check.problem }}</p>
    <p v-else-if="session.length === 0" class="soft">Place a clip first; then there is something to listen to.</p>
    <p v-else-if="state" class="soft state">{{ state }}</p>
    <div v-else-if="check.waiting === 0" class="nothing">
      <ListChecks :size="26" aria-hidden="true" />
      <p><strong>Nothing to mention.</strong></p>
      <p class="soft">Every word is clear, nothing is too loud, silent, abrupt or uneven, and everybody is credited.</p>
    </div>
  </div>
  <section v-for="g in groups" :key="g.weight" :aria-label="WEIGHTS[g.weight].name">
    <h3>
      <span class="sign" :class="g.weight" aria-hidden="true">{{ WEIGHTS[g.weight].sign }}</span>
      {{ WEIGHTS[g.weight].name }} <span class="soft figures">{{ g.found.length }}</span>
    </h3>
    <ul class="plain-list">
      <FindingCard v-for="f in g.found" :key="f.key" :finding="f" />
    </ul>
  </section>
  <section v-if="check.now && check.now.kinds.length > 0" class="kinds" aria-label="Several at once">
    <h3>Several at once</h3>
    <button v-for="k in check.now.kinds" :key="k.kind" class="plain-button" @click="mend(k)">
      {{ k.name }}: mend all {{ k.count }}
    </button>
  </section>
  <section v-if="check.aside.length > 0" aria-label="Set aside">
    <button class="more" :aria-expanded="showAside" @click="showAside = !showAside">
      {{ showAside ? "Hide" : "Show" }} what is set aside ({{ check.aside.length }})
    </button>
    <ul v-if="showAside" class="plain-list">
      <FindingCard v-for="f in check.aside" :key="f.key" :finding="f" />
    </ul>
  </section>
  <button class="more" :aria-expanded="showLimits" @click="showLimits = !showLimits">
    {{ showLimits ? "Hide the limits" : "Limits of this show" }}
  </button>
  <LimitsCard v-if="showLimits" />
</template>

<style scoped>
h3 {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-top: 10px;
  font-size: var(--type-label);
}
.sign {
  display: inline-grid;
  place-items: center;
  width: 15px;
  height: 15px;
  border: 1.5px solid var(--ink);
  border-radius: var(--radius-round);
  font-size: var(--type-small);
}
.sign.should {
  background: var(--ink);
  color: var(--ink-inverse);
}
.sign.must {
  border-color: var(--alarm);
  border-radius: var(--radius-point);
  background: var(--alarm);
  color: var(--ink-inverse);
}
.state {
  font-size: var(--type-hint);
}
.kinds {
  display: grid;
  gap: 6px;
}
.kinds button {
  padding: 4px 10px;
  font-size: var(--type-hint);
}
.more {
  display: block;
  margin-top: 12px;
  padding: 0;
  border: 0;
  background: none;
  color: var(--ink);
  font-size: var(--type-hint);
  text-decoration: underline;
  cursor: pointer;
}
</style>
