import { defineStore } from "pinia";
import { ref } from "vue";
import { api, type Schema } from "../api/client";
import { useSession } from "./session";

/** The finished files of the episode on the desk, and what is known of its loudness. */
export const useMixdowns = defineStore("mixdowns", () => {
  const session = useSession();
  const list = ref<Schema["Mixdown"][]>([]);
  const measured = ref<Schema["Measured"]>();
  /** About how loud the mix is, while it has not been measured since the last change. */
  const estimated = ref<Schema["Estimated"]>();

  async function refresh(): Promise<void> {
    const desk = session.open;
    if (!desk) return;
    const path = { episode: desk.episode };
    await desk.load(
      "mixdowns",
      (signal) => api.GET("/episodes/{episode}/mixdowns", { params: { path }, signal }),
      (there) => (list.value = there ?? []),
    );
  }

  /** Asks for the loudness; what is not known yet is measured in the background and told as an event. */
  async function measure(): Promise<void> {
    const desk = session.open;
    if (!desk) return;
    const path = { episode: desk.episode };
    await desk.load(
      "loudness",
      (signal) => api.GET("/episodes/{episode}/loudness", { params: { path }, signal }),
      (there) => (measured.value = there),
    );
  }

  /** Asks about how loud the mix is now. */
  async function estimate(): Promise<void> {
    const desk = session.open;
    const params = { path: { episode: desk?.episode ?? "" } };
    await desk?.refresh("estimate", () =>
      desk.load(
        "estimate",
        (signal) => api.GET("/episodes/{episode}/loudness/estimate", { params, signal }),
        (there) => (estimated.value = there),
      ),
    );
  }

  function leave(): void {
    list.value = [];
    measured.value = estimated.value = undefined;
  }

  return { list, measured, estimated, refresh, measure, estimate, leave };
});
