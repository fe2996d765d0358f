import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, type Refusal, type Schema } from "../api/client";
import { useSession } from "./session";

/** Where there is nothing to measure. */
export const NOTHING = -120;

/** The loudness of the session on the desk over time, as it was measured. */
export const useLoudness = defineStore("loudness", () => {
  const session = useSession();
  const along = shallowRef<Schema["Along"]>();
  const problem = ref("");

  const momentary = computed(() => figures(along.value?.momentary));
  const shortTerm = computed(() => figures(along.value?.shortTerm));
  const soFar = computed(() => figures(along.value?.soFar));
  const truePeak = computed(() => figures(along.value?.truePeak));

  async function refresh(): Promise<void> {
    const desk = session.open;
    if (!desk || session.length === 0) return;
    const params = { path: { episode: desk.episode }, query: { rev: session.version } };
    try {
      await desk.load(
        "loudness over time",
        (signal) => api.GET("/episodes/{episode}/loudness/course", { params, signal }),
        (there) => {
          along.value = there;
          problem.value = "";
        },
      );
    } catch (error) {
      problem.value = (error as Refusal).message;
    }
  }

  function leave(): void {
    along.value = undefined;
    problem.value = "";
  }

  return { along, problem, momentary, shortTerm, soFar, truePeak, refresh, leave };
});

/** Numbers that come as base64: hundredths as int16, little-endian. */
function figures(text: string | undefined): Float64Array {
  if (!text) return new Float64Array();
  const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  return Float64Array.from(new Int16Array(bytes.buffer), (v) => v / 100);
}
