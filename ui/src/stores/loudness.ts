import { defineStore } from "pinia";
import { computed } from "vue";
import { api, type Schema } from "../api/client";
import { int16s } from "../model/numbers";
import { useAsked } from "../talk/asked";
import { useSession } from "./session";

/** Where there is nothing to measure. */
export const NOTHING = -120;

/** The loudness of the session on the desk over time, as it was measured. */
export const useLoudness = defineStore("loudness", () => {
  const session = useSession();
  const {
    answer: along,
    problem,
    refresh,
    forget,
  } = useAsked<Schema["Along"]>({
    ask: (signal) => {
      const episode = session.open?.episode;
      if (!episode || session.length === 0) return undefined;
      const params = { path: { episode }, query: { rev: session.version } };
      return api.GET("/episodes/{episode}/loudness/course", { params, signal });
    },
  });

  const momentary = computed(() => figures(along.value?.momentary));
  const shortTerm = computed(() => figures(along.value?.shortTerm));
  const soFar = computed(() => figures(along.value?.soFar));
  const truePeak = computed(() => figures(along.value?.truePeak));

  return { along, problem, momentary, shortTerm, soFar, truePeak, refresh, leave: forget };
});

/** Numbers that come as hundredths. */
const figures = (text: string | undefined) => Float64Array.from(int16s(text), (v) => v / 100);
