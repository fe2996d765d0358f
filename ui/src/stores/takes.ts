import { defineStore } from "pinia";
import { computed } from "vue";
import { api, type Schema } from "../api/client";
import { useAsked } from "../talk/asked";
import { useSession } from "./session";

/** The takes of the episode on the desk. */
export const useTakes = defineStore("takes", () => {
  const session = useSession();
  const { answer, refresh, forget } = useAsked<Schema["TakeStatus"][] | null>({
    ask: (signal) => {
      const episode = session.open?.episode;
      return episode ? api.GET("/episodes/{episode}/takes", { params: { path: { episode } }, signal }) : undefined;
    },
  });
  return { list: computed(() => answer.value ?? []), refresh, leave: forget };
});
