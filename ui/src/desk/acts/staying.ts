import { computed } from "vue";
import { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { useWithout } from "./without";

/** Hearing tracks as if they did not make way for speech. */
export function useStaying(desk: DeskContext) {
  const session = useSession();
  const making = computed(() =>
    (session.document?.tracks ?? []).filter((t) => t.way?.on && t.part !== "voice").map((t) => t.id),
  );
  const none = "No track makes way for speech. Switch it on in Balance, for music or effects.";
  const { off: staying, switchOver, press } = useWithout(desk, desk.staying, making, none);
  return { staying, switchOver, press, any: computed(() => making.value.length > 0) };
}
