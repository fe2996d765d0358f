<script setup lang="ts">
import { CircleHelp, Redo2, Search, Undo2 } from "lucide-vue-next";
import { computed, nextTick, ref, useTemplateRef } from "vue";
import { api, ask, type Refusal } from "../api/client";
import { whenText } from "../model/units";
import { useCheck } from "../stores/check";
import { useDesk } from "../stores/desk";
import { useMixdowns } from "../stores/mixdowns";
import { useSession } from "../stores/session";
import { useSounds } from "../stores/sounds";
import { unkeptWords } from "../talk/keeping";
import { useKeymap } from "./menus/keymap";
import { actOf } from "./acts/lists/list";
import { STAGE_NAMES } from "./state/stages";
import LightSwitch from "../talk/LightSwitch.vue";
import NameField from "./widgets/NameField.vue";
import { useDeskContext, type Stage } from "./state/context";
import { tell } from "../talk/tell";

const session = useSession();
const sounds = useSounds();
const mixdowns = useMixdowns();
const check = useCheck();
const connection = useDesk();
const desk = useDeskContext();
const renaming = ref<string>();
/** A title that could not be kept is shown again. */
const tries = ref(0);
const titleButton = useTemplateRef<HTMLElement>("title");
const { shownFor } = useKeymap();
const finding = actOf(desk, "find");
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
    </div>
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
    <div class="kept soft" role="status" :title="session.keptAt ? `Saved ${whenText(session.keptAt)}` : undefined">
      <template v-if="session.gone">This episode was removed</template>
      <template v-else-if="session.stuck">{{ session.stuck }}</template>
      <template v-else-if="!connection.connected">
        {{ session.busy ? "Connection lost, your changes wait…" : "Connection lost, trying again…" }}
      </template>
      <template v-else-if="unkeptWords">{{ unkeptWords }}</template>
      <template v-else-if="session.busy">Saving…</template>
      <template v-else-if="session.keptAt">All changes saved · {{ whenText(session.keptAt) }}</template>
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
    <button class="help" aria-label="Keys" title="All keys (?)" @click="desk.keysShown.value = true">
      <CircleHelp :size="18" />
    </button>
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
.title {
  padding: 0;
  border: 0;
  background: none;
  font-weight: 700;
  text-align: left;
  cursor: text;
}
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
  font-size: var(--type-caption);
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
  .what {
    width: 150px;
  }
  .stage {
    padding: 0 9px;
  }
  .kept {
    display: none;
  }
}
</style>
