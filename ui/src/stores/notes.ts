import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { api, ask, type Schema } from "../api/client";
import { useAsked } from "../talk/asked";

/** What those who work on an episode have written to each other about places of it. */
export const useNotes = defineStore("notes", () => {
  const of = ref("");
  const { answer, refresh, forget } = useAsked<Schema["Note"][] | null>({
    ask: (signal) =>
      of.value ? api.GET("/episodes/{episode}/notes", { params: { path: { episode: of.value } }, signal }) : undefined,
  });
  const list = computed(() => answer.value ?? []);
  const open = computed(() => list.value.filter((n) => !n.settled));

  /** Those of an episode. */
  function enter(episode: string): Promise<void> {
    if (of.value !== episode) forget();
    of.value = episode;
    return refresh();
  }

  async function add(body: Schema["NewNote"]): Promise<Schema["Note"]> {
    const made = await ask(api.POST("/episodes/{episode}/notes", { params: { path: { episode: of.value } }, body }));
    await refresh();
    return made;
  }

  async function change(note: string, body: Schema["ChangedNote"]): Promise<void> {
    await ask(api.PATCH("/notes/{note}", { params: { path: { note } }, body }));
    await refresh();
  }

  async function remove(note: string): Promise<void> {
    await ask(api.DELETE("/notes/{note}", { params: { path: { note } } }));
    await refresh();
  }

  function leave(): void {
    of.value = "";
    forget();
  }

  return { list, open, enter, refresh, add, change, remove, leave };
});
