import { watch } from "vue";
import { useSession } from "../stores/session";
import { useBare } from "./acts/bare";
import { useStaying } from "./acts/staying";
import type { DeskContext } from "./state/context";

/** What is heard goes with what is on the desk: its version, the loop, what it is compared with, and what is left out of it. */
export function useHearing(desk: DeskContext): void {
  const session = useSession();
  const { player } = desk;

  // The mix changes: what is playing goes on with it. It is asked for while the edit is on its way.
  watch(
    () => session.coming,
    () => player.changed(),
  );
  watch(
    () => [desk.loopOn.value, desk.selection.range, desk.selection.range ? 0 : session.length] as const,
    ([on, range, length]) => {
      player.loop = on ? (range ?? { from: 0, to: length }) : undefined;
      player.changed();
    },
    { deep: true },
  );
  watch(
    () => desk.compared.value,
    (compared) => {
      player.compared = compared ?? { of: "", gain: 0 };
      player.changed();
    },
  );
  const { bare } = useBare(desk);
  watch(
    () => bare.value.join(),
    () => {
      player.bare = bare.value;
      player.changed();
    },
  );
  const { staying } = useStaying(desk);
  watch(
    () => staying.value.join(),
    () => {
      player.staying = staying.value;
      player.changed();
    },
  );
  watch(
    () => session.gone,
    (gone) => gone && player.pause(),
  );
}
