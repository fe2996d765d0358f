import { defineStore } from "pinia";
import { computed } from "vue";
import { api, type Schema } from "../api/client";
import { useAsked } from "../talk/asked";
import { useSession } from "./session";

/** The sounds of the show whose episode is on the desk. */
export const useSounds = defineStore("sounds", () => {
  const session = useSession();
  const { answer, refresh, forget } = useAsked<Schema["ShowSound"][] | null>({
    ask: (signal) => {
      const show = session.open?.show;
      return show ? api.GET("/shows/{show}/sounds", { params: { path: { show } }, signal }) : undefined;
    },
  });
  const list = computed(() => answer.value ?? []);

  function byID(id: string): Schema["ShowSound"] | undefined {
    return list.value.find((s) => s.id === id);
  }

  return { list, byID, refresh, leave: forget };
});
