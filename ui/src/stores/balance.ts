import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, type Schema } from "../api/client";
import type { Way } from "../model/way";
import { int16s } from "../model/numbers";
import { useAsked } from "../talk/asked";
import { useSession } from "./session";

/** How speech stands to everything else in the session on the desk, and how its tracks make way. */
export const useBalance = defineStore("balance", () => {
  const session = useSession();
  const {
    answer: now,
    refresh,
    forget,
  } = useAsked<Schema["Balance"]>({
    ask: (signal) => {
      const episode = session.open?.episode;
      if (!episode) return undefined;
      const params = { path: { episode }, query: { rev: session.coming } };
      return api.GET("/episodes/{episode}/balance", { params, signal });
    },
    take: (there) => {
      if (there.measured) progress.value = undefined;
    },
    // What is estimated is asked for again: the word that it has been measured may have come before anybody listened.
    final: (there) => there.measured || session.length === 0,
    waits: true,
  });
  /** What would be if what is proposed was done; it is drawn in the place of what is. */
  const proposed = shallowRef<Schema["Balance"] & { settings: Record<string, Schema["Way"]> }>();
  const ways = useAsked<Schema["Start"][] | null>({ ask: (signal) => api.GET("/ways", { signal }) });
  const leads = useAsked<Schema["Aim"][] | null>({ ask: (signal) => api.GET("/leads", { signal }) });
  const starts = computed(() => ways.answer.value ?? []);
  const aims = computed(() => leads.answer.value ?? []);
  /** How far the measurement has come, 0 to 1, if it takes long enough to say so. */
  const progress = ref<number>();

  const shown = computed(() => proposed.value ?? now.value);
  const short = computed(() => int16s(shown.value?.short));
  const long = computed(() => int16s(shown.value?.long));

  /** Asks for what there is to choose from, once. */
  async function list(): Promise<void> {
    await Promise.all([ways, leads].map((l) => l.answer.value || l.asking.value || l.refresh()));
  }

  /** How a track makes way, as far as that is known; undefined if it does not. */
  function wayOf(track: Schema["Track"]): Way | undefined {
    const settings = proposed.value?.settings[track.id] ?? track.way;
    const made = shown.value?.ways.find((w) => w.track === track.id);
    if (!settings?.on || track.part === "voice" || !made) return undefined;
    return { stretches: shown.value!.speech[made.speech]!.stretches, drops: made.drops, settings };
  }

  /** The names of the voices that a track makes way for. */
  function voicesOf(track: Schema["Track"]): string[] {
    const made = shown.value?.ways.find((w) => w.track === track.id);
    const ids = made ? shown.value!.speech[made.speech]!.voices : [];
    return (session.document?.tracks ?? []).filter((t) => ids.includes(t.id)).map((t) => t.name);
  }

  function leave(): void {
    forget();
    proposed.value = undefined;
    progress.value = undefined;
  }

  return { now, shown, proposed, short, long, starts, aims, progress, refresh, list, wayOf, voicesOf, leave };
});
