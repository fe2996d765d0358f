import { defineStore } from "pinia";
import { ref } from "vue";
import { api, ask, type Refusal, type Schema } from "../api/client";
import { useSession } from "./session";

/** The script of the episode on the desk. */
export const useScript = defineStore("script", () => {
  const session = useSession();
  const script = ref<Schema["Script"]>();

  async function refresh(): Promise<void> {
    const desk = session.open;
    if (!desk) return;
    const path = { episode: desk.episode };
    await desk.load(
      "script",
      (signal) => api.GET("/episodes/{episode}/script", { params: { path }, signal }),
      (there) => {
        if (there.version >= (script.value?.version ?? 0)) script.value = there;
      },
    );
  }

  /** Changes the script; says whether that was kept. */
  async function change(change: Omit<Schema["ScriptChange"], "base">): Promise<boolean> {
    const desk = session.open;
    if (!desk) return false;
    const params = { path: { episode: desk.episode } };
    try {
      const body = { base: script.value?.version ?? 0, ...change };
      const kept = await ask(api.PATCH("/episodes/{episode}/script", { params, body }));
      if (!desk.left) script.value = kept;
      return true;
    } catch (error) {
      session.problem = error as Refusal;
      return false;
    }
  }

  return { script, refresh, change, leave: () => (script.value = undefined) };
});
