import { defineStore } from "pinia";
import { ref } from "vue";
import { api, type Schema } from "../api/client";
import { useSession } from "./session";

/** Where somebody is heard to speak in the session on the desk. */
export const useSpeech = defineStore("speech", () => {
  const session = useSession();
  const spans = ref<Schema["Span"][]>([]);

  async function refresh(): Promise<void> {
    const desk = session.open;
    if (!desk) return;
    const params = { path: { episode: desk.episode }, query: { from: 0, to: session.length } };
    await desk.load(
      "speech",
      (signal) => api.GET("/episodes/{episode}/speech", { params, signal }),
      (there) => (spans.value = there.spans),
    );
  }

  function leave(): void {
    spans.value = [];
  }

  return { spans, refresh, leave };
});
