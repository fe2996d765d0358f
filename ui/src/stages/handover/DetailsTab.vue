<script setup lang="ts">
import { ElRadioButton, ElRadioGroup } from "element-plus";
import { computed, onMounted, ref } from "vue";
import { api, ask, type Schema } from "../../api/client";
import { useCheck } from "../../stores/check";
import { useHandover } from "../../stores/handover";
import { useSession } from "../../stores/session";
import { useActing } from "../../talk/acting";
import { useAsked } from "../../talk/asked";
import { useField, type KeptField, type Revision } from "../../talk/keeping";
import KeptText from "../../talk/KeptText.vue";
import ArtworkField from "./ArtworkField.vue";
import ChapterList from "./ChapterList.vue";

/** What the finished file says about itself. Its title and number stand in the header. */
type Details = Schema["Details"];
type Key = Exclude<keyof Details, "artwork">;
interface Field {
  key: Key;
  name: string;
  /** It can be said of all episodes at once. */
  everywhere: boolean;
  rows?: number;
  hint?: string;
  most: number;
}
const fields: Field[] = [
  { key: "description", name: "Description", everywhere: false, rows: 4, most: 4000 },
  { key: "presenter", name: "Presenter", everywhere: true, most: 200 },
  { key: "guests", name: "Guests", everywhere: false, hint: "Names, commas between", most: 4000 },
  { key: "season", name: "Season", everywhere: true, hint: "e.g. 2", most: 7 },
  { key: "date", name: "Date", everywhere: false, hint: "e.g. 2026-11-30", most: 10 },
  { key: "keywords", name: "Keywords", everywhere: true, hint: "Words, commas between", most: 4000 },
  { key: "language", name: "Language", everywhere: true, hint: "e.g. en, pt-BR", most: 35 },
  { key: "copyright", name: "Copyright", everywhere: true, most: 300 },
  { key: "credits", name: "Credits", everywhere: false, rows: 3, most: 8000 },
];
const lists = ["guests", "keywords"];

const session = useSession();
const check = useCheck();
const handover = useHandover();
const episode = session.open!.episode;
const show = session.open!.show;
const scope = ref<"episode" | "show">("episode");
const { answer, problem, refresh } = useAsked<Details>({
  when: () => show,
  ask: (signal) => api.GET("/shows/{show}/details", { params: { path: { show } }, signal }),
});
const ofShow = computed(() => answer.value ?? {});
const ofEpisode = computed<Details>(() => session.episode ?? {});
const now = computed(() => (scope.value === "show" ? ofShow.value : ofEpisode.value));
const shown = computed(() => fields.filter((f) => scope.value === "episode" || f.everywhere));

onMounted(() => handover.soon());

/** What a field says, as text. */
function textOf(key: Key, value: unknown): string {
  if (lists.includes(key)) return ((value as string[] | undefined) ?? []).join(", ");
  return value ? String(value) : "";
}

/** What a text in a field says. */
function valueOf(key: Key, text: string): unknown {
  const names = text.split(",").map((t) => t.trim());
  if (lists.includes(key)) return names.filter(Boolean);
  return key === "season" ? Number(text) || 0 : text.trim();
}

/** What a field says if it is left empty here. */
function otherwise(f: Field): string {
  const of = scope.value === "episode" && f.everywhere ? textOf(f.key, ofShow.value[f.key]) : "";
  return of || (f.hint ?? "");
}

/** Changes details, each against what it said when it was read. Throws a Refusal. */
async function revise(of: "episode" | "show", body: Revision): Promise<Details> {
  const there =
    of === "show"
      ? await ask(api.PATCH("/shows/{show}/details", { params: { path: { show } }, body }))
      : await ask(api.PATCH("/episodes/{episode}/details", { params: { path: { episode } }, body }));
  if (session.open?.episode === episode) {
    if (of === "show") answer.value = there;
    else session.describe(there as Schema["Episode"]);
    check.soon();
    handover.soon();
  }
  return there;
}

/** A field that keeps itself, of the episode or of all. */
function keptField(of: "episode" | "show", f: Field): KeptField {
  const there = () => (of === "show" ? ofShow.value : ofEpisode.value)[f.key];
  return useField(`details ${of === "show" ? show : episode} ${f.key}`, {
    name: f.name,
    read: () => ({ value: textOf(f.key, there()), base: there() ?? null }),
    send: async (text, was) => {
      const said = await revise(of, { [f.key]: { was, now: valueOf(f.key, text) } });
      return said[f.key] ?? null;
    },
    changed: {
      code: "changed-meanwhile",
      there: async (refusal) => {
        const value = refusal.details.find((d) => d.location === f.key)?.value ?? null;
        await (of === "show" ? refresh() : session.catchUp());
        return { value: textOf(f.key, value), base: value };
      },
    },
  });
}
const kept = {
  episode: Object.fromEntries(fields.map((f) => [f.key, keptField("episode", f)])),
  show: Object.fromEntries(fields.filter((f) => f.everywhere).map((f) => [f.key, keptField("show", f)])),
} as Record<"episode" | "show", Record<Key, KeptField>>;

const { act } = useActing();
const setArtwork = (id: string) =>
  act(() => revise(scope.value, { artwork: { was: now.value.artwork ?? null, now: id || null } }));
const takeCredits = () =>
  act(() =>
    revise("episode", { credits: { was: ofEpisode.value.credits ?? null, now: handover.ahead?.credits ?? "" } }),
  );
</script>

<template>
  <el-radio-group v-model="scope" size="small" aria-label="What is described">
    <el-radio-button value="episode">This episode</el-radio-button>
    <el-radio-button value="show">Every episode</el-radio-button>
  </el-radio-group>
  <p class="soft about">
    <template v-if="scope === 'show'">Said of every episode of {{ session.showName }} that says nothing else.</template>
    <template v-else
      >Written into every file made of this episode. A name or text in grey is that of every episode.</template
    >
  </p>
  <ArtworkField
    :picture="now.artwork ?? ''"
    :otherwise="scope === 'episode' ? (ofShow.artwork ?? '') : ''"
    @change="setArtwork"
  />
  <p v-if="problem" class="alarm" role="alert">{{ problem }}</p>
  <div v-for="f in shown" :key="`${scope} ${f.key}`" class="field" :class="{ wide: f.rows }">
    <KeptText
      :id="`details-${f.key}`"
      :label="f.name"
      :field="kept[scope][f.key]"
      :most="f.most"
      :rows="f.rows"
      :placeholder="otherwise(f)"
    />
    <button
      v-if="f.key === 'credits' && handover.ahead?.credits && handover.ahead.credits !== ofEpisode.credits"
      class="plain-button take"
      @click="takeCredits"
    >
      Take in the credits of the sounds
    </button>
  </div>
  <template v-if="scope === 'episode'">
    <hr class="panel-rule" />
    <ChapterList />
  </template>
</template>

<style scoped>
.about {
  margin: 6px 0 10px;
  font-size: var(--type-hint);
}
.field {
  display: grid;
  grid-template-columns: 78px 1fr;
  gap: 2px 6px;
  align-items: center;
  margin-top: 6px;
  font-size: var(--type-hint);
}
.field.wide {
  grid-template-columns: 1fr;
}
.field :deep(.kept-note) {
  grid-column: 1 / -1;
}
.take {
  justify-self: start;
  margin-top: 2px;
  padding: 3px 9px;
  font-size: var(--type-hint);
}
</style>
