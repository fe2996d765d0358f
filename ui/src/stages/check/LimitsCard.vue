<script setup lang="ts">
import { ref, watch } from "vue";
import { api, ask, type Refusal, type Schema } from "../../api/client";
import ValueField from "../../desk/widgets/ValueField.vue";
import { useCheck } from "../../stores/check";
import { useSession } from "../../stores/session";

/** The limits of the show beyond which something is mentioned. */
const session = useSession();
const check = useCheck();
type Limits = Schema["Bounds"];
const limits = ref<Limits>();
const rows: { key: keyof Limits; name: string; unit: string }[] = [
  { key: "covered", name: "Speech covered for", unit: "s" },
  { key: "ramp", name: "Ramp under a word", unit: "dB" },
  { key: "range", name: "Loudness range", unit: "LU" },
  { key: "apart", name: "Speakers apart", unit: "LU" },
  { key: "drift", name: "One speaker drifts", unit: "LU" },
  { key: "quiet", name: "Nothing is heard below", unit: "LU" },
  { key: "deadInside", name: "Dead air inside", unit: "s" },
  { key: "deadBefore", name: "Before the start", unit: "s" },
  { key: "deadAfter", name: "After the end", unit: "s" },
  { key: "click", name: "A step clicks above", unit: "dBFS" },
  { key: "background", name: "Background jumps", unit: "dB" },
  { key: "oneSided", name: "One side softer by", unit: "dB" },
  { key: "noise", name: "Speech over its noise", unit: "LU" },
  { key: "hum", name: "Speech over hum", unit: "dB" },
  { key: "flatSamples", name: "Clipped samples", unit: "" },
];
const problem = ref("");
watch(
  () => check.now?.limits,
  (now) => (limits.value = now && { ...now }),
  { immediate: true },
);

const text = (value: number) => String(value).replace("-", "−");
function parse(typed: string): number | undefined {
  const value = Number(typed.replace("−", "-").replace(",", "."));
  return typed.trim() !== "" && Number.isFinite(value) ? value : undefined;
}

async function set(key: keyof Limits, value: number): Promise<void> {
  const show = session.open?.show;
  if (!show || !limits.value) return;
  const body = { [key]: { was: limits.value[key], now: value } };
  problem.value = "";
  try {
    limits.value = await ask(api.PATCH("/shows/{show}/limits", { params: { path: { show } }, body }));
  } catch (error) {
    const { code, message, details } = error as Refusal;
    const there = details.find((d) => d.location === key)?.value;
    problem.value =
      code === "changed-meanwhile"
        ? `“${rows.find((r) => r.key === key)!.name}” was set to ${text(Number(there))} elsewhere meanwhile; you set ${text(value)}. Set it again if that is meant.`
        : message;
  }
  await check.refresh();
}
</script>

<template>
  <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
  <div v-if="limits" class="limits">
    <template v-for="r in rows" :key="r.key">
      <span>{{ r.name }}</span>
      <ValueField
        :value="limits[r.key]"
        :text="text(limits[r.key])"
        :parse="parse"
        :label="r.name"
        @change="(v: number) => set(r.key, v)"
      />
      <span class="soft">{{ r.unit }}</span>
    </template>
  </div>
</template>

<style scoped>
.limits {
  display: grid;
  grid-template-columns: 1fr 64px 36px;
  gap: 3px 8px;
  align-items: center;
  margin-top: 8px;
  font-size: var(--type-hint);
}
</style>
