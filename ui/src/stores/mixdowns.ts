import { defineStore } from "pinia";
import { computed } from "vue";
import { api, type Schema } from "../api/client";
import { useAsked } from "../talk/asked";
import { useSession } from "./session";

/** The finished files of the episode on the desk, and what is known of its loudness. */
export const useMixdowns = defineStore("mixdowns", () => {
  const session = useSession();
  const params = () => session.open && { path: { episode: session.open.episode } };
  const files = useAsked<Schema["Mixdown"][] | null>({
    ask: (signal) => {
      const p = params();
      return p && api.GET("/episodes/{episode}/mixdowns", { params: p, signal });
    },
  });
  /** The loudness; what is not known yet is measured in the background and told as an event. */
  const loudness = useAsked<Schema["Measured"]>({
    ask: (signal) => {
      const p = params();
      return p && api.GET("/episodes/{episode}/loudness", { params: p, signal });
    },
    final: (there) => !there.measuring,
  });
  /** About how loud the mix is, while it has not been measured since the last change. */
  const estimate = useAsked<Schema["Estimated"]>({
    ask: (signal) => {
      const p = params();
      return p && api.GET("/episodes/{episode}/loudness/estimate", { params: p, signal });
    },
    waits: true,
  });

  function leave(): void {
    for (const asked of [files, loudness, estimate]) asked.forget();
  }

  return {
    list: computed(() => files.answer.value ?? []),
    measured: loudness.answer,
    estimated: estimate.answer,
    refresh: files.refresh,
    measure: loudness.refresh,
    estimate: estimate.refresh,
    leave,
  };
});
