<script setup lang="ts">
import { CircleHelp, Redo2, Search, Undo2 } from "lucide-vue-next";
import { nextTick, ref, useTemplateRef } from "vue";
import { api, ask, type Refusal } from "../api/client";
import { whenText } from "../model/units";
import { useDesk } from "../stores/desk";
import { useSession } from "../stores/session";
import { unkeptWords } from "../talk/keeping";
import { useKeymap } from "./menus/keymap";
import { actOf } from "./acts/lists/list";
import { useMe } from "../people/me";
import AccountMenu from "../people/AccountMenu.vue";
import OthersHere from "./OthersHere.vue";
import LightSwitch from "../talk/LightSwitch.vue";
import StageNav from "./StageNav.vue";
import NameField from "./widgets/NameField.vue";
import { useDeskContext } from "./state/context";
import { tell } from "../talk/tell";

const session = useSession();
const connection = useDesk();
const me = useMe();
const desk = useDeskContext();
const renaming = ref<string>();
/** A title that could not be kept is shown again. */
const tries = ref(0);
const titleButton = useTemplateRef<HTMLElement>("title");
const { shownFor } = useKeymap();
const finding = actOf(desk, "find");

async function rename(title: string | undefined, byKey: boolean): Promise<void> {
  renaming.value = undefined;
  if (byKey) void nextTick(() => titleButton.value?.focus());
  const desk = session.open;
  if (title === undefined || !desk || title === session.episode?.title) return;
  try {
    const path = { episode: desk.episode };
    const named = await ask(api.PATCH("/episodes/{episode}", { params: { path }, body: { title } }));
    if (!desk.left) session.describe(named);
  } catch (error) {
    tell(error);
    // What could not be kept just now stays to be confirmed again.
    if ((error as Refusal).code === "unreachable") {
      renaming.value ??= title;
      tries.value++;
    }
  }
}
</script>

<template>
  <header>
    <router-link class="brand" to="/" title="To the shelf">ruvel</router-link>
    <div class="what">
      <span class="soft cut">
        {{ session.showName
        }}<template v-if="session.episode?.layout">
          · <router-link class="house" :to="`/shows/${session.episode.show}/house`">house sound</router-link></template
        >
      </span>
      <h1 tabindex="-1">
        <NameField
          v-if="renaming !== undefined"
          :key="tries"
          :name="renaming"
          label="Title of the episode"
          @done="rename"
        />
        <button
          v-else
          ref="title"
          class="title cut"
          :title="session.episode?.title"
          @click="renaming = session.episode?.title"
        >
          <template v-if="session.episode">
            {{ session.episode.layout ? "" : `${session.episode.number} · ` }}{{ session.episode.title }}
          </template>
        </button>
      </h1>
    </div>
    <StageNav />
    <div class="kept soft" :title="session.keptAt ? `Saved ${whenText(session.keptAt)}` : undefined">
      <template v-if="session.gone">This episode was removed</template>
      <template v-else-if="session.stuck">{{ session.stuck }}</template>
      <template v-else-if="!connection.connected">
        {{ session.busy ? "Connection lost, your changes wait…" : "Connection lost, trying again…" }}
      </template>
      <template v-else-if="unkeptWords">{{ unkeptWords }}</template>
      <template v-else-if="session.busy">Saving…</template>
      <template v-else-if="session.keptAt"
        >All changes saved<template v-if="!me.people"> · {{ whenText(session.keptAt) }}</template></template
      >
    </div>
    <button
      class="plain-button"
      :disabled="!session.undoName"
      :title="`Undo: ${session.undoName}`"
      @click="session.undo"
    >
      <Undo2 :size="15" />Undo
    </button>
    <button
      class="plain-button"
      :disabled="!session.redoName"
      :title="`Redo: ${session.redoName}`"
      aria-label="Redo"
      @click="session.redo"
    >
      <Redo2 :size="15" />
    </button>
    <button
      class="help"
      aria-label="Find an act"
      :title="`Find an act by words, and do it (${shownFor(finding)})`"
      @click="desk.finder.value = true"
    >
      <Search :size="18" />
    </button>
    <LightSwitch />
    <OthersHere />
    <button class="help" aria-label="Keys" title="All keys (?)" @click="desk.keysShown.value = true">
      <CircleHelp :size="18" />
    </button>
    <AccountMenu />
  </header>
</template>

<style scoped>
.house {
  color: inherit;
}
header {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 0 16px 0 18px;
  background: var(--sheet);
  border-bottom: 1px solid var(--rule-strong);
}
.brand {
  padding-right: 16px;
  border-right: 1px solid var(--rule-strong);
  font-size: var(--type-title);
  font-weight: 700;
  line-height: 34px;
  color: inherit;
  text-decoration: none;
}
.what {
  display: grid;
  width: 210px;
  padding-left: 6px;
  font-size: var(--type-text);
}
h1 {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  min-width: 0;
  font-size: inherit;
}
.title {
  min-height: 24px;
  padding: 0;
  border: 0;
  background: none;
  font-weight: 700;
  text-align: left;
  cursor: text;
}
.kept {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  font-size: var(--type-small);
  white-space: nowrap;
}
.help {
  display: grid;
  padding: 4px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}
@media (max-width: 900px) {
  header {
    flex-wrap: wrap;
    gap: 4px 8px;
    padding-bottom: 2px;
  }
  .what {
    flex: 1;
  }
}
@media (max-width: 1180px) {
  .what {
    width: 150px;
  }
  .kept {
    display: none;
  }
}
</style>
