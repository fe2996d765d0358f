import { computed } from "vue";
import { isTreated } from "../drawing/reduction";
import { useSession } from "../stores/session";
import { useActs } from "./acts";
import type { DeskContext } from "./context";

/** A key that is held longer than this switches back when it is let go. */
const HELD_MS = 350;

/** Hearing tracks without their treatment, as loud as with it. Nothing of the session changes. */
export function useBare(desk: DeskContext) {
  const session = useSession();
  const acts = useActs(desk);
  let forget: (() => void) | undefined;

  const treated = computed(() =>
    (session.document?.tracks ?? []).filter((t) => isTreated(t.treatment)).map((t) => t.id),
  );
  /** Those of the tracks that are still there and treated. */
  const bare = computed(() => desk.bare.value.filter((id) => treated.value.includes(id)));

  function switchOver(tracks: string[]): void {
    const meant = tracks.filter((id) => treated.value.includes(id));
    const off = meant.some((id) => bare.value.includes(id));
    desk.bare.value = off ? bare.value.filter((id) => !meant.includes(id)) : [...bare.value, ...meant];
  }

  /** The treated ones of the chosen tracks, or all that are treated. */
  function meant(all: boolean): string[] {
    if (bare.value.length > 0) return bare.value;
    if (all) return treated.value;
    const chosen = acts.chosenTracks().filter((id) => treated.value.includes(id));
    return chosen.length > 0 ? chosen : treated.value;
  }

  /** The key goes down: a tap switches over, holding it lets the other be heard for as long. */
  function press(event: KeyboardEvent, all = false): void {
    if (event.repeat) return;
    if (treated.value.length === 0) return session.say("No track is treated. Switch a stage on in Balance first.");
    const pressed = performance.now();
    switchOver(meant(all));
    forget?.();
    const release = (up: Event) => {
      if (up instanceof KeyboardEvent && up.code !== event.code) return;
      forget?.();
      if (performance.now() - pressed > HELD_MS) switchOver(meant(all));
    };
    // A key that is let go while another window has the keyboard is not heard of.
    for (const end of ["keyup", "blur"]) window.addEventListener(end, release);
    forget = () => {
      for (const end of ["keyup", "blur"]) window.removeEventListener(end, release);
      forget = undefined;
    };
  }

  return { bare, switchOver, press };
}
