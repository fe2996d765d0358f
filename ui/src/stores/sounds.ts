import { defineStore } from "pinia";
import { ref } from "vue";
import { api, type Schema } from "../api/client";
import { useSession } from "./session";

/** The sounds of the show whose episode is on the desk. */
export const useSounds = defineStore("sounds", () => {
  const session = useSession();
  const list = ref<Schema["ShowSound"][]>([]);

  function byID(id: string): Schema["ShowSound"] | undefined {
    return list.value.find((s) => s.id === id);
  }

  async function refresh(): Promise<void> {
    const desk = session.open;
    if (!desk?.show) return;
    const path = { show: desk.show };
    await desk.load(
      "sounds",
      (signal) => api.GET("/shows/{show}/sounds", { params: { path }, signal }),
      (there) => (list.value = there ?? []),
    );
  }

  return { list, byID, refresh, leave: () => (list.value = []) };
});
