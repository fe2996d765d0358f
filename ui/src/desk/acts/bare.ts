import { computed } from "vue";
import { isTreated } from "../../drawing/reduction";
import { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { useWithout } from "./without";

/** Hearing tracks without their treatment, as loud as with it. */
export function useBare(desk: DeskContext) {
  const session = useSession();
  const treated = computed(() =>
    (session.document?.tracks ?? []).filter((t) => isTreated(t.treatment)).map((t) => t.id),
  );
  const none = "No track is treated. Switch a stage on in Balance first.";
  const { off: bare, switchOver, press } = useWithout(desk, desk.bare, treated, none);
  return { bare, switchOver, press, any: computed(() => treated.value.length > 0) };
}
