import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, type Schema } from "../api/client";
import { useAsked } from "../talk/asked";
import { useSession } from "./session";

/** Milliseconds for which the hand rests before the session is checked. */
const REST_MS = 150;

/** What a second pair of ears would say of the session on the desk. */
export const useCheck = defineStore("check", () => {
  const session = useSession();
  const now = shallowRef<Schema["Findings"]>();
  const { problem, refresh, soon, forget } = useAsked<Schema["Findings"]>({
    ask: (signal) => {
      const episode = session.open?.episode;
      if (!episode) return undefined;
      const query = {
        rev: session.version,
        loopFrom: Math.round(loop.value?.from ?? 0),
        loopTo: Math.round(loop.value?.to ?? 0),
      };
      return api.GET("/episodes/{episode}/findings", { params: { path: { episode }, query }, signal });
    },
    // What is said of the mix as a whole stands until it has been measured again.
    take: (there) => {
      now.value = there.measured || !now.value?.measured ? there : { ...now.value, measured: false };
    },
    final: (there) => there.measured || session.length === 0,
    rest: REST_MS,
    waits: true,
  });
  /** The stretch that is played over and over. */
  const loop = ref<{ from: number; to: number }>();
  /** The finding that is open, by its key. */
  const chosen = ref("");

  const open = computed(() => (now.value?.findings ?? []).filter((f) => !f.aside));
  const aside = computed(() => (now.value?.findings ?? []).filter((f) => f.aside));
  const waiting = computed(() => open.value.length);
  /** It is of the present version, and the whole mix was measured. */
  const current = computed(() => now.value?.measured === true && now.value.version >= session.version);

  function leave(): void {
    forget();
    now.value = loop.value = undefined;
    chosen.value = "";
  }

  return { now, open, aside, waiting, current, problem, loop, chosen, soon, refresh, leave };
});
