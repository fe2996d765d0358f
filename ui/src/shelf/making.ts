import { onBeforeUnmount, ref } from "vue";
import { api, ask } from "../api/client";

/** Milliseconds after which it is asked again how far that is. */
const MAKING_MS = 1000;

/** What of the sample series is being made at the first start; nothing: nothing is. With each step of it the shelf is read again. */
export function useMaking(freshen: () => Promise<void>) {
  const making = ref("");
  let asked: ReturnType<typeof setTimeout> | undefined;

  async function followMaking(): Promise<void> {
    const before = making.value;
    try {
      making.value = (await ask(api.GET("/health"))).making ?? "";
    } catch {
      making.value = ""; // what else is wrong is said where it is
    }
    if (making.value || before) {
      await freshen();
    }
    if (making.value) asked = setTimeout(() => void followMaking(), MAKING_MS);
  }

  onBeforeUnmount(() => clearTimeout(asked));
  return { making, followMaking };
}
