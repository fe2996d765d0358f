import { defineStore } from "pinia";
import { api, ask, type Schema } from "../api/client";
import { useAsked } from "../talk/asked";
import { useField, type KeptField } from "../talk/keeping";
import { tell } from "../talk/tell";
import { useSession } from "./session";

/** Milliseconds for which the hand rests before what was written is kept. */
const REST_MS = 700;

/** The script of the episode on the desk. */
export const useScript = defineStore("script", () => {
  const session = useSession();
  const {
    answer: script,
    refresh,
    forget,
  } = useAsked<Schema["Script"]>({
    ask: (signal) => {
      const episode = session.open?.episode;
      return episode ? api.GET("/episodes/{episode}/script", { params: { path: { episode } }, signal }) : undefined;
    },
  });

  /** A script that was asked for, or that a change has made: a version never goes back. */
  function take(episode: string, there: Schema["Script"]): void {
    if (session.open?.episode !== episode || there.version < (script.value?.version ?? 0)) return;
    script.value = there;
  }

  async function send(episode: string, base: number, change: Omit<Schema["ScriptChange"], "base">): Promise<number> {
    const there = await ask(
      api.PATCH("/episodes/{episode}/script", { params: { path: { episode } }, body: { base, ...change } }),
    );
    take(episode, there);
    return there.version;
  }

  /** Changes the pace, or marks parts as recorded; says whether that was kept. */
  async function change(change: Pick<Schema["ScriptChange"], "pace" | "recorded">): Promise<boolean> {
    const episode = session.open?.episode;
    if (!episode) return false;
    try {
      await send(episode, script.value?.version ?? 0, change);
      return true;
    } catch (error) {
      tell(error);
      return false;
    }
  }

  /** The text as a field that keeps itself. */
  function text(): KeptField {
    const episode = session.open!.episode;
    return useField(`script ${episode}`, {
      name: "The script",
      read: () => ({ value: script.value?.text ?? "", base: script.value?.version ?? 0 }),
      send: (text, base) => send(episode, base as number, { text }),
      changed: {
        code: "script-changed",
        there: async () => {
          const there = await ask(api.GET("/episodes/{episode}/script", { params: { path: { episode } } }));
          take(episode, there);
          return { value: there.text, base: there.version };
        },
      },
      rest: REST_MS,
    });
  }

  return { script, refresh, change, text, leave: forget };
});
