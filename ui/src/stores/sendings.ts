import { defineStore } from "pinia";
import { ref } from "vue";
import { api, ask, type Schema } from "../api/client";
import { useSession } from "./session";

/** Where finished files can be sent, and those of the episode on the desk that were, or are on their way. */
export const useSendings = defineStore("sendings", () => {
  const session = useSession();
  const hosts = ref<Schema["Outside"][]>([]);
  const list = ref<Schema["Sent"][]>([]);

  async function refresh(): Promise<void> {
    const desk = session.open;
    if (!desk) return;
    const params = { path: { episode: desk.episode } };
    await desk.load(
      "sendings",
      (signal) => api.GET("/episodes/{episode}/sendings", { params, signal }),
      (there) => (list.value = there ?? []),
    );
  }

  async function findHosts(): Promise<void> {
    if (hosts.value.length === 0) hosts.value = (await ask(api.GET("/hosts"))) ?? [];
  }

  async function send(mixdown: string, host: string, way: string | undefined): Promise<void> {
    await ask(api.POST("/mixdowns/{mixdown}/sendings", { params: { path: { mixdown } }, body: { host, way } }));
    await refresh();
  }

  return { hosts, list, refresh, findHosts, send, leave: () => (list.value = []) };
});
