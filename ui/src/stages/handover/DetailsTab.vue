<script setup lang="ts">
import { ElRadioButton, ElRadioGroup } from "element-plus";
import { computed, onMounted, reactive, ref, watch } from "vue";
import { api, ask, type Refusal, type Schema } from "../../api/client";
import { useCheck } from "../../stores/check";
import { useHandover } from "../../stores/handover";
import { useSession } from "../../stores/session";
import ArtworkField from "./ArtworkField.vue";
import ChapterList from "./ChapterList.vue";

/** What the finished file says about itself. Its title and number stand in the header. */
type Details = Schema["Details"];
type Text = "presenter" | "date" | "description" | "language" | "copyright" | "credits";
interface Field {
  key: Text | "guests" | "keywords" | "season";
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
const lists = ["guests", "keywords"] as const;
const isList = (key: Field["key"]): key is (typeof lists)[number] => (lists as readonly string[]).includes(key);

const session = useSession();
const check = useCheck();
const handover = useHandover();
const scope = ref<"episode" | "show">("episode");
const show = ref<Details>({});
const typed = reactive<Partial<Record<Field["key"], string>>>({});
const problem = ref<{ field: string; text: string }>();

const episode = computed<Details>(() => {
  const e = session.episode;
  if (!e) return {};
  const { season, presenter, guests, date, description, keywords, language, copyright, credits, artwork } = e;
  return { season, presenter, guests, date, description, keywords, language, copyright, credits, artwork };
});
const now = computed(() => (scope.value === "show" ? show.value : episode.value));
const shown = computed(() => fields.filter((f) => scope.value === "episode" || f.everywhere));

onMounted(async () => {
  const id = session.open?.show;
  try {
    if (id) show.value = await ask(api.GET("/shows/{show}/details", { params: { path: { show: id } } }));
  } catch (error) {
    problem.value = { field: "", text: (error as Refusal).message };
  }
  handover.soon();
});
watch(scope, () => (problem.value = undefined));

function read(d: Details, key: Field["key"]): string {
  const value = d[key];
  if (Array.isArray(value)) return value.join(", ");
  return value ? String(value) : "";
}

/** What a field says if it is left empty here. */
function otherwise(f: Field): string {
  const of = scope.value === "episode" && f.everywhere ? read(show.value, f.key) : "";
  return of || (f.hint ?? "");
}

function changed(f: Field, text: string): Details {
  const out = { ...now.value };
  if (isList(f.key))
    out[f.key] = text
      .split(",")
      .map((t) => t.trim())
      .filter(Boolean);
  else if (f.key === "season") out.season = Number(text) || 0;
  else out[f.key] = text;
  return out;
}

async function keep(f: Field): Promise<void> {
  const text = typed[f.key];
  if (text === undefined || text.trim() === read(now.value, f.key)) {
    delete typed[f.key];
    return;
  }
  if (await send(changed(f, text.trim()), f.key)) delete typed[f.key];
}

/** Keeps details; what was refused stays as it was typed, with what is wrong under it. */
async function send(body: Details, field = ""): Promise<boolean> {
  const { open } = session;
  if (!open) return false;
  try {
    if (scope.value === "show") {
      show.value = await ask(api.PUT("/shows/{show}/details", { params: { path: { show: open.show } }, body }));
    } else {
      const there = await ask(
        api.PUT("/episodes/{episode}/details", { params: { path: { episode: open.episode } }, body }),
      );
      if (open.left) return false;
      session.episode = there;
    }
    problem.value = undefined;
    check.soon();
    handover.soon();
    return true;
  } catch (error) {
    problem.value = { field, text: (error as Refusal).message };
    return false;
  }
}

const takeCredits = () => send({ ...episode.value, credits: handover.ahead?.credits ?? "" }, "credits");
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
    :otherwise="scope === 'episode' ? (show.artwork ?? '') : ''"
    @change="(id: string) => send({ ...now, artwork: id }, 'artwork')"
  />
  <div v-for="f in shown" :key="f.key" class="field" :class="{ wide: f.rows }">
    <label :for="`details-${f.key}`">{{ f.name }}</label>
    <textarea
      v-if="f.rows"
      :id="`details-${f.key}`"
      :rows="f.rows"
      :maxlength="f.most"
      :value="typed[f.key] ?? read(now, f.key)"
      :placeholder="otherwise(f)"
      @input="typed[f.key] = ($event.target as HTMLTextAreaElement).value"
      @blur="keep(f)"
    ></textarea>
    <input
      v-else
      :id="`details-${f.key}`"
      :maxlength="f.most"
      :value="typed[f.key] ?? read(now, f.key)"
      :placeholder="otherwise(f)"
      spellcheck="false"
      autocomplete="off"
      @input="typed[f.key] = ($event.target as HTMLInputElement).value"
      @blur="keep(f)"
      @keydown.enter="($event.target as HTMLInputElement).blur()"
    />
    <button
      v-if="f.key === 'credits' && handover.ahead?.credits && handover.ahead.credits !== read(now, 'credits')"
      class="plain-button take"
      @click="takeCredits"
    >
      Take in the credits of the sounds
    </button>
    <p v-if="problem?.field === f.key" class="alarm" role="alert">{{ problem.text }}</p>
  </div>
  <p v-if="problem && !shown.some((f) => f.key === problem?.field)" class="alarm" role="alert">{{ problem.text }}</p>
  <template v-if="scope === 'episode'">
    <hr class="panel-rule" />
    <ChapterList />
  </template>
</template>

<style scoped>
.about {
  margin: 6px 0 10px;
  font-size: 12.5px;
}
.field {
  display: grid;
  grid-template-columns: 78px 1fr;
  gap: 2px 6px;
  align-items: center;
  margin-top: 6px;
  font-size: 12.5px;
}
.field.wide {
  grid-template-columns: 1fr;
}
.field .alarm {
  grid-column: 1 / -1;
}
textarea,
input {
  width: 100%;
  min-width: 0;
  padding: 4px 7px;
  border: 1px solid var(--rule-strong);
  border-radius: 5px;
  background: var(--sheet);
  color: var(--ink);
  font: inherit;
  font-size: 13px;
  resize: vertical;
}
::placeholder {
  color: var(--ink-soft);
  opacity: 1;
}
.take {
  justify-self: start;
  margin-top: 2px;
  padding: 3px 9px;
  font-size: 12.5px;
}
</style>
