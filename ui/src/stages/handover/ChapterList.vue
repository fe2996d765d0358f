<script setup lang="ts">
import { ImagePlus, X } from "lucide-vue-next";
import { computed, ref } from "vue";
import { useDeskContext } from "../../desk/state/context";
import { timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { handIn } from "./pictures";
import { tell } from "../../talk/tell";

/** The chapters: markers and ranges that listeners are shown, with a link and a picture if wanted. */
const session = useSession();
const desk = useDeskContext();
const field = ref<HTMLInputElement>();
const into = ref("");

const chapters = computed(() =>
  Object.entries(session.document?.markers ?? {})
    .filter(([, m]) => m.chapter)
    .map(([id, m]) => ({ id, ...m }))
    .sort((a, b) => a.at - b.at),
);
const plain = computed(() =>
  Object.entries(session.document?.markers ?? {}).filter(([, m]) => !m.chapter && m.length > 0),
);

const set = (marker: string, change: { link?: string; picture?: string }) =>
  session.edit({ type: "set-markers", markers: [{ marker, ...change }] });

function makeAll(): void {
  const markers = plain.value.map(([marker]) => ({ marker, chapter: true }));
  void session.edit({ type: "set-markers", markers });
}

function keepLink(id: string, was: string | undefined, event: Event): void {
  const input = event.target as HTMLInputElement;
  const link = input.value.trim();
  if (link === (was ?? "")) return;
  void set(id, { link }).then((kept) => kept ?? (input.value = was ?? ""));
}

function choosePicture(id: string): void {
  into.value = id;
  field.value?.click();
}

async function take(file: File | undefined): Promise<void> {
  const show = session.open?.show;
  if (!file || !show) return;
  try {
    const there = await handIn(show, file, "chapter");
    await set(into.value, { picture: there.id });
  } catch (error) {
    tell(error);
  }
  if (field.value) field.value.value = "";
}

function goToMarks(): void {
  desk.arrangeTab.value = "marks";
  desk.stage.value = "arrange";
}
</script>

<template>
  <section>
    <h3>Chapters</h3>
    <p v-if="chapters.length === 0" class="soft none">
      There are none yet. Listeners can jump to a chapter and see its title.
    </p>
    <ol class="plain-list">
      <li v-for="c in chapters" :key="c.id">
        <div class="line">
          <span class="figures">{{ timeText(c.at, 0) }}</span>
          <strong class="cut" :title="c.name">{{ c.name }}</strong>
          <button
            class="picture"
            :aria-label="c.picture ? `Another picture for ${c.name}` : `Picture for ${c.name}`"
            title="Picture"
            @click="choosePicture(c.id)"
          >
            <img v-if="c.picture" :src="`/api/pictures/${c.picture}`" alt="" width="26" height="26" />
            <ImagePlus v-else :size="16" />
          </button>
          <button
            v-if="c.picture"
            class="row-button"
            :aria-label="`No picture for ${c.name}`"
            title="No picture"
            @click="set(c.id, { picture: '' })"
          >
            <X :size="13" />
          </button>
        </div>
        <input
          :value="c.link ?? ''"
          :aria-label="`Link of ${c.name}`"
          placeholder="Link, https://…"
          spellcheck="false"
          autocomplete="off"
          @blur="keepLink(c.id, c.link, $event)"
          @keydown.enter="keepLink(c.id, c.link, $event)"
        />
      </li>
    </ol>
    <div class="acts">
      <button v-if="plain.length" class="plain-button" @click="makeAll">
        {{ plain.length === 1 ? "Make the range a chapter" : `Make ${plain.length} ranges to chapters` }}
      </button>
      <button class="link" @click="goToMarks">Markers and ranges</button>
    </div>
    <input
      ref="field"
      class="visually-hidden"
      type="file"
      accept="image/jpeg,image/png"
      aria-label="Picture file for a chapter"
      tabindex="-1"
      @change="take(($event.target as HTMLInputElement).files?.[0])"
    />
  </section>
</template>

<style scoped>
section {
  position: relative; /* it holds the hidden field */
}
h3 {
  font-size: var(--type-body);
}
.none {
  padding: 6px 0;
  font-size: var(--type-hint);
}
li {
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
  font-size: var(--type-hint);
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
}
.line strong {
  flex: 1;
}
.picture {
  display: grid;
  place-items: center;
  width: 30px;
  height: 30px;
  padding: 0;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius-button);
  background: var(--sheet);
  cursor: pointer;
}
input {
  width: 100%;
  margin-top: 4px;
  padding: 3px 7px;
  border: 1px solid var(--rule);
  border-radius: var(--radius-button);
  background: var(--sheet);
  color: var(--ink);
  font: inherit;
}
::placeholder {
  color: var(--ink-soft);
  opacity: 1;
}
.acts {
  display: flex;
  gap: 10px;
  align-items: center;
  margin-top: 8px;
}
.acts .plain-button {
  padding: 4px 9px;
  font-size: var(--type-hint);
}
</style>
