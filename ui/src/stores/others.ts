import { defineStore } from "pinia";
import { computed, ref } from "vue";
import type { Schema } from "../api/client";

export type Here = Schema["HereEvent"];

/** Milliseconds after which somebody who says nothing more is taken to have left. */
const SILENT_MS = 15_000;
/** This window, as others know it. */
export const WINDOW = crypto.randomUUID();

/** Who else works on the episode on the desk, and where they are. */
export const useOthers = defineStore("others", () => {
  const all = ref(new Map<string, Here & { seen: number }>());
  const list = computed(() => [...all.value.values()].sort((a, b) => a.name.localeCompare(b.name)));
  /** One for each person: a person may have several windows. */
  const people = computed(() => [...new Map(list.value.map((h) => [h.person, h])).values()]);
  const byClip = (of: "chosen" | "holds") =>
    computed(() => {
      const by = new Map<string, Here[]>();
      for (const h of list.value) for (const c of h[of]) by.set(c, [...(by.get(c) ?? []), h]);
      return by;
    });
  const choosing = byClip("chosen");
  const holding = byClip("holds");

  function hear(here: Here): void {
    if (here.window === WINDOW) return;
    const next = new Map(all.value);
    if (here.gone) next.delete(here.window);
    else next.set(here.window, { ...here, seen: Date.now() });
    all.value = next;
  }

  /** Forgets who has said nothing for long. */
  function look(): void {
    const old = [...all.value].filter(([, h]) => Date.now() - h.seen > SILENT_MS);
    if (old.length === 0) return;
    all.value = new Map([...all.value].filter(([, h]) => Date.now() - h.seen <= SILENT_MS));
  }

  function leave(): void {
    all.value = new Map();
  }

  return { list, people, choosing, holding, hear, look, leave };
});
