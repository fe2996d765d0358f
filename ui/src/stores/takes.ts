import { defineStore } from "pinia";
import { ref } from "vue";
import { api, type Schema } from "../api/client";
import { useSession } from "./session";

/** The takes of the episode on the desk. */
export const useTakes = defineStore("takes", () => {
  const session = useSession();
  const list = ref<Schema["TakeStatus"][]>([]);

  async function refresh(): Promise<void> {
    const desk = session.open;
    if (!desk) return;
    const path = { episode: desk.episode };
    await desk.load(
      "takes",
      (signal) => api.GET("/episodes/{episode}/takes", { params: { path }, signal }),
      (there) => (list.value = there ?? []),
    );
  }

  return { list, refresh, leave: () => (list.value = []) };
});
