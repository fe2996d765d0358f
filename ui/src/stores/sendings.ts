import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { api, ask, type Schema } from "../api/client";
import { useAsked } from "../talk/asked";
import { useSession } from "./session";

/** Where finished files can be sent, and those of the episode on the desk that were, or are on their way. */
export const useSendings = defineStore("sendings", () => {
  const session = useSession();
  const hosts = ref<Schema["Outside"][]>([]);
  const { answer, refresh, forget } = useAsked<Schema["Sent"][] | null>({
    ask: (signal) => {
      const episode = session.open?.episode;
      return episode ? api.GET("/episodes/{episode}/sendings", { params: { path: { episode } }, signal }) : undefined;
    },
  });
  const list = computed(() => answer.value ?? []);

  async function findHosts(): Promise<void> {
    if (hosts.value.length === 0) hosts.value = (await ask(api.GET("/hosts"))) ?? [];
  }

  async function send(mixdown: string, host: string, way: string | undefined): Promise<void> {
    await ask(api.POST("/mixdowns/{mixdown}/sendings", { params: { path: { mixdown } }, body: { host, way } }));
    await refresh();
  }

  return { hosts, list, refresh, findHosts, send, leave: forget };
});
