import { ref } from "vue";
import { tell } from "./tell";

/** Acts one at a time: whether one goes on, and what went wrong with it is told. */
export function useActing() {
  const acting = ref(false);

  /** Carries an act out and says whether it came off. */
  async function act(what: () => Promise<unknown>): Promise<boolean> {
    acting.value = true;
    try {
      await what();
      return true;
    } catch (error) {
      tell(error);
      return false;
    } finally {
      acting.value = false;
    }
  }
  return { acting, act };
}
