import { watch } from "vue";
import { preload } from "../drawing/peaks";
import { useBalance } from "../stores/balance";
import { useCheck } from "../stores/check";
import { useSession } from "../stores/session";
import type { DeskContext } from "./state/context";

/** What is shown of the session as a whole keeps up with it. */
export function useKeepingUp(desk: DeskContext): void {
  const session = useSession();
  const balance = useBalance();
  const check = useCheck();

  // Something of every sound can be drawn at once, wherever the view goes.
  watch(
    () => session.document?.sounds,
    (sounds) => preload(sounds ?? {}),
  );
  // How speech stands to everything else, where words begin and end, and who makes way: all while the hand moves.
  watch(
    () => session.coming,
    (version) => version > 0 && void balance.refresh().catch(() => undefined),
    { immediate: true },
  );
  // What a second pair of ears would say, when the hand rests.
  watch(
    () => [session.version, desk.loopOn.value && desk.selection.range] as const,
    ([version, range]) => {
      check.loop = range || undefined;
      if (version > 0) check.soon();
    },
    { immediate: true, deep: true },
  );
}
