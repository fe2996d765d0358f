import { defineStore } from "pinia";
import { computed, reactive } from "vue";
import { api, ask, type Schema } from "../api/client";
import { useSession } from "./session";
import { useAsked } from "../talk/asked";
import { tell } from "../talk/tell";

/** What is known of the voices that are treated, by track, and the treatments that the show keeps. */
export const useVoices = defineStore("voices", () => {
  const session = useSession();
  const byTrack = reactive<Record<string, Schema["Voice"]>>({});
  /** How often each was asked about: the last answer counts. */
  const asked: Record<string, number> = {};
  const treatments = useAsked<Schema["KeptTreatment"][] | null>({
    ask: (signal) => {
      const show = session.open?.show;
      return show ? api.GET("/shows/{show}/treatments", { params: { path: { show } }, signal }) : undefined;
    },
  });

  /** Asks what a track sounds like. What was known of it stays until the answer comes. Throws a Refusal. */
  async function look(track: string): Promise<void> {
    const desk = session.open;
    if (!desk) return;
    const params = { path: { episode: desk.episode, track }, query: { rev: session.version } };
    const mine = (asked[track] = (asked[track] ?? 0) + 1);
    const there = await ask(api.GET("/episodes/{episode}/tracks/{track}/voice", { params }));
    if (!desk.left && asked[track] === mine) byTrack[track] = there;
  }

  /** Keeps a treatment with the show. */
  async function keep(name: string, treatment: Schema["Treatment"]): Promise<boolean> {
    const path = { show: session.open!.show };
    return change(ask(api.POST("/shows/{show}/treatments", { params: { path }, body: { name, treatment } })));
  }

  async function forget(treatment: string): Promise<boolean> {
    const path = { show: session.open!.show, treatment };
    return change(ask(api.DELETE("/shows/{show}/treatments/{treatment}", { params: { path } })));
  }

  async function change(request: Promise<unknown>): Promise<boolean> {
    try {
      await request;
      await treatments.refresh();
      return true;
    } catch (error) {
      tell(error);
      return false;
    }
  }

  function leave(): void {
    for (const track of Object.keys(byTrack)) delete byTrack[track];
    treatments.forget();
  }

  return {
    byTrack,
    kept: computed(() => treatments.answer.value ?? []),
    look,
    list: treatments.refresh,
    keep,
    forget,
    leave,
  };
});
