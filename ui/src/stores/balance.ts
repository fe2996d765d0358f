import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, type Schema } from "../api/client";
import type { Way } from "../drawing/way";
import type { OpenDesk } from "./open";
import { useSession } from "./session";

/** Where nobody speaks. */
export const NOBODY = -32768;
/** Frames of a figure of the lead. */
export const HOP = 4800;

/** Milliseconds after which an estimate is asked for again. */
const AGAIN_MS = 2000;

/** How speech stands to everything else in the session on the desk, and how its tracks make way. */
export const useBalance = defineStore("balance", () => {
  const session = useSession();
  const now = shallowRef<Schema["Balance"]>();
  /** What would be if what is proposed was done; it is drawn in the place of what is. */
  const proposed = shallowRef<Schema["Balance"] & { settings: Record<string, Schema["Way"]> }>();
  const starts = ref<Schema["Start"][]>([]);
  const aims = ref<Schema["Aim"][]>([]);
  /** How far the measurement has come, 0 to 1, if it takes long enough to say so. */
  const progress = ref<number>();

  const shown = computed(() => proposed.value ?? now.value);
  const short = computed(() => tenths(shown.value?.short));
  const long = computed(() => tenths(shown.value?.long));

  let looking = 0;

  async function refresh(): Promise<void> {
    const desk = session.open;
    await desk?.refresh("balance", () => {
      const params = { path: { episode: desk.episode }, query: { rev: session.coming } };
      return desk.load(
        "balance",
        (signal) => api.GET("/episodes/{episode}/balance", { params, signal }),
        (there) => {
          now.value = there;
          if (there.measured) progress.value = undefined;
          else lookAgain(desk, there.version);
        },
      );
    });
  }

  /** What is estimated is asked for again after a while: the word that it has been measured may have come before anybody listened. */
  function lookAgain(desk: OpenDesk, version: number): void {
    window.clearTimeout(looking);
    looking = window.setTimeout(() => {
      if (!desk.left && session.version === version) void refresh().catch(() => undefined);
    }, AGAIN_MS);
  }

  /** Asks for what there is to choose from, once. */
  async function list(): Promise<void> {
    const desk = session.open;
    if (!desk || aims.value.length > 0) return;
    await Promise.all([
      desk.load(
        "ways",
        (signal) => api.GET("/ways", { signal }),
        (there) => (starts.value = there ?? []),
      ),
      desk.load(
        "leads",
        (signal) => api.GET("/leads", { signal }),
        (there) => (aims.value = there ?? []),
      ),
    ]);
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
    window.clearTimeout(looking);
    now.value = proposed.value = undefined;
    progress.value = undefined;
  }

  return { now, shown, proposed, short, long, starts, aims, progress, refresh, list, wayOf, voicesOf, leave };
});

/** Numbers that come as base64: int16, little-endian. */
function tenths(text: string | undefined): Int16Array {
  if (!text) return new Int16Array();
  const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  return new Int16Array(bytes.buffer);
}
