import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, type Refusal, type Schema } from "../api/client";
import { useSession } from "./session";

/** Milliseconds for which the hand rests before the session is checked. */
const REST_MS = 150;

/** What a second pair of ears would say of the session on the desk. */
export const useCheck = defineStore("check", () => {
  const session = useSession();
  const now = shallowRef<Schema["Findings"]>();
  const problem = ref("");
  /** The stretch that is played over and over. */
  const loop = ref<{ from: number; to: number }>();
  /** The finding that is open, by its key. */
  const chosen = ref("");

  const open = computed(() => (now.value?.findings ?? []).filter((f) => !f.aside));
  const aside = computed(() => (now.value?.findings ?? []).filter((f) => f.aside));
  const waiting = computed(() => open.value.length);
  /** It is of the present version, and the whole mix was measured. */
  const current = computed(() => now.value?.measured === true && now.value.version >= session.version);

  let resting = 0;

  function soon(): void {
    window.clearTimeout(resting);
    resting = window.setTimeout(() => void refresh(), REST_MS);
  }

  async function refresh(): Promise<void> {
    const desk = session.open;
    try {
      await desk?.refresh("findings", () => {
        const query = {
          rev: session.version,
          loopFrom: Math.round(loop.value?.from ?? 0),
          loopTo: Math.round(loop.value?.to ?? 0),
        };
        const params = { path: { episode: desk.episode }, query };
        return desk.load("findings", (signal) => api.GET("/episodes/{episode}/findings", { params, signal }), take);
      });
    } catch (error) {
      problem.value = (error as Refusal).message;
    }
  }

  /** What is said of the mix as a whole stands until it has been measured again. */
  function take(there: Schema["Findings"]): void {
    problem.value = "";
    now.value = there.measured || !now.value?.measured ? there : { ...now.value, measured: false };
  }

  function leave(): void {
    window.clearTimeout(resting);
    now.value = loop.value = undefined;
    chosen.value = problem.value = "";
  }

  return { now, open, aside, waiting, current, problem, loop, chosen, soon, refresh, leave };
});
