import { defineStore } from "pinia";
import { ref } from "vue";
import { api, ask, type Schema } from "../api/client";

/** What is offered to choose from and stays the same while the page is open. */
export const useLists = defineStore("lists", () => {
  const targets = ref<Schema["Target"][]>([]);
  const formats = ref<Schema["Format"][]>([]);
  const licences = ref<Schema["Licence"][]>([]);
  /** The settings that the stages of a treatment begin with. */
  const treatment = ref<Schema["Treatment"]>();
  /** Where the settings of its stages and of making way lie, by stage or "way", and by setting. */
  const ranges = ref<Record<string, Record<string, Schema["Range"]>>>();

  /** Asks for the lists that are not there yet. Throws a Refusal. */
  async function load(): Promise<void> {
    await Promise.all([
      targets.value.length > 0 || ask(api.GET("/targets")).then((l) => (targets.value = l ?? [])),
      formats.value.length > 0 || ask(api.GET("/formats")).then((l) => (formats.value = l ?? [])),
      treatment.value !== undefined || ask(api.GET("/treatment")).then((t) => (treatment.value = t)),
      ranges.value !== undefined || ask(api.GET("/ranges")).then((r) => (ranges.value = r)),
      licences.value.length > 0 || ask(api.GET("/licences")).then((l) => (licences.value = l ?? [])),
    ]);
  }

  /** Where a setting lies; anywhere, as long as that is not known. */
  function range(of: string, setting: string): Schema["Range"] {
    return ranges.value?.[of]?.[setting] ?? { low: -Infinity, high: Infinity };
  }

  return { targets, formats, licences, treatment, range, load };
});
