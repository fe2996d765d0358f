import { defineStore } from "pinia";
import { reactive, ref } from "vue";
import { api, ask, type Refusal, type Schema } from "../api/client";
import { useSession } from "./session";

/** What is known of the voices that are treated, by track, and the treatments that the show keeps. */
export const useVoices = defineStore("voices", () => {
  const session = useSession();
  const byTrack = reactive<Record<string, Schema["Voice"]>>({});
  const kept = ref<Schema["KeptTreatment"][]>([]);

  /** Asks what a track sounds like. What was known of it stays until the answer comes. Throws a Refusal. */
  async function look(track: string): Promise<void> {
    const desk = session.open;
    if (!desk) return;
    const params = { path: { episode: desk.episode, track }, query: { rev: session.version } };
    await desk.load(
      `voice ${track}`,
      (signal) => api.GET("/episodes/{episode}/tracks/{track}/voice", { params, signal }),
      (there) => (byTrack[track] = there),
    );
  }

  /** Asks for the treatments that the show keeps. Throws a Refusal. */
  async function list(): Promise<void> {
    const desk = session.open;
    if (!desk?.show) return;
    const params = { path: { show: desk.show } };
    await desk.load(
      "treatments",
      (signal) => api.GET("/shows/{show}/treatments", { params, signal }),
      (there) => (kept.value = there ?? []),
    );
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
      await list();
      return true;
    } catch (error) {
      session.problem = error as Refusal;
      return false;
    }
  }

  function leave(): void {
    for (const track of Object.keys(byTrack)) delete byTrack[track];
    kept.value = [];
  }

  return { byTrack, kept, look, list, keep, forget, leave };
});
