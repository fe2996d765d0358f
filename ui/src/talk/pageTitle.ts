import { useTitle } from "@vueuse/core";
import { computed } from "vue";

/** Says in the title of the page where one is, the nearest first: "Old phones · Balance · Ruvel". */
export function usePageTitle(where: () => (string | undefined)[]): void {
  useTitle(computed(() => [...where().filter(Boolean), "Ruvel"].join(" · ")));
}
