<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { readOut } from "../../talk/readOut";
import { onMounted, reactive, ref, computed } from "vue";
import { api, ask, type Refusal, type Schema } from "../../api/client";
import { figure } from "../../model/units";
import { useLists } from "../../stores/lists";
import { useSession } from "../../stores/session";
import { tell } from "../../talk/tell";

/** The delivery target: one that is known by name, or one that the show has made for itself. */
type Own = Schema["OwnTarget"];
const NEW = "new";
const session = useSession();
const lists = useLists();
const own = ref<Own[]>([]);
const making = ref(false);
const draft = reactive<Own>({ name: "", integrated: -18, tolerance: 0.5, truePeak: -1 });
const show = computed(() => session.open?.show ?? "");

async function list(): Promise<void> {
  if (!show.value) return;
  try {
    own.value = (await ask(api.GET("/shows/{show}/targets", { params: { path: { show: show.value } } }))) ?? [];
  } catch {
    // The known ones can be chosen all the same.
  }
}
onMounted(list);

const text = (name: string, integrated: number) => `${name}, ${figure(integrated).replace(".0", "")} LUFS`;
/** The document's own target is offered also where the show has it no more. */
const offered = computed(() => {
  const now = session.document?.own;
  const all = [...own.value];
  if (session.document?.target === "own" && now && !all.some((t) => t.name === now.name)) all.push(now);
  return all;
});
const chosen = computed(() =>
  session.document?.target === "own" ? `own ${session.document.own?.name}` : session.document?.target,
);

function choose(key: string): void {
  making.value = key === NEW;
  if (key === NEW) return;
  const mine = offered.value.find((t) => `own ${t.name}` === key);
  void session.edit(mine ? { type: "set-target", target: "own", own: mine } : { type: "set-target", target: key });
}

async function make(): Promise<void> {
  const now = { ...draft, name: draft.name.trim() };
  const params = { path: { show: show.value } };
  const body = { [now.name]: { was: own.value.find((t) => t.name === now.name) ?? null, now } };
  try {
    own.value = (await ask(api.PATCH("/shows/{show}/targets", { params, body }))) ?? [];
    making.value = false;
    choose(`own ${now.name}`);
  } catch (error) {
    const { code, details } = error as Refusal;
    if (code !== "changed-meanwhile") return tell(error);
    const there = details[0]?.value as Own | null | undefined;
    tell(
      there
        ? `“${now.name}” was made elsewhere meanwhile: ${text(there.name, there.integrated)}. It is in the list; make yours again to put it in its place, or give it another name.`
        : `“${now.name}” was taken away elsewhere meanwhile. Make it again if it is meant to stay.`,
    );
    await list();
  }
}
</script>

<template>
  <el-select v-bind="readOut" id="target" :model-value="chosen" aria-label="Target" @change="choose">
    <el-option v-for="t in lists.targets" :key="t.key" :value="t.key" :label="text(t.name, t.integrated)" />
    <el-option v-for="t in offered" :key="t.name" :value="`own ${t.name}`" :label="text(t.name, t.integrated)" />
    <el-option :value="NEW" label="A target of this show…" />
  </el-select>
  <form v-if="making" class="own" @submit.prevent="make">
    <label for="own-name">Name</label>
    <input
      id="own-name"
      v-model="draft.name"
      class="text-field"
      maxlength="60"
      required
      placeholder="Night programme"
    />
    <label for="own-loudness">Loudness</label>
    <span
      ><input
        id="own-loudness"
        v-model.number="draft.integrated"
        class="text-field"
        type="number"
        min="-40"
        max="-5"
        step="0.1"
      />
      LUFS</span
    >
    <label for="own-tolerance">Tolerance</label>
    <span
      ><input
        id="own-tolerance"
        v-model.number="draft.tolerance"
        class="text-field"
        type="number"
        min="0.1"
        max="5"
        step="0.1"
      />
      LU</span
    >
    <label for="own-peak">Ceiling</label>
    <span
      ><input
        id="own-peak"
        v-model.number="draft.truePeak"
        class="text-field"
        type="number"
        min="-20"
        max="0"
        step="0.1"
      />
      dBTP</span
    >
    <div class="acts">
      <button class="plain-button filled" type="submit">Keep for this show</button>
      <button class="plain-button" type="button" @click="making = false">Cancel</button>
    </div>
  </form>
</template>

<style scoped>
.own {
  display: grid;
  grid-column: 1 / -1;
  grid-template-columns: 70px 1fr;
  gap: 6px;
  align-items: center;
  padding: 8px;
  border: 1px solid var(--rule);
  border-radius: var(--radius);
}
span input {
  width: 80px;
}
.acts {
  display: flex;
  grid-column: 1 / -1;
  gap: 6px;
}
.acts .plain-button {
  padding: 4px 9px;
  font-size: var(--type-hint);
}
</style>
