import { computed, type ComputedRef, type Ref } from "vue";
import { useSession } from "../../stores/session";
import { useActs } from "./acts";
import type { DeskContext } from "../state/context";

/** A key that is held longer than this switches back when it is let go. */
const HELD_MS = 350;

/**
 * Hearing tracks without something that is done to them. Nothing of the session changes.
 * @param heard the tracks that are heard so
 * @param can those to which it is done
 * @param none what is said if there are none
 */
export function useWithout(desk: DeskContext, heard: Ref<string[]>, can: ComputedRef<string[]>, none: string) {
  const session = useSession();
  const acts = useActs(desk);
  let forget: (() => void) | undefined;

  /** Those of the tracks that are still there, and to which it is still done. */
  const off = computed(() => heard.value.filter((id) => can.value.includes(id)));

  function switchOver(tracks: string[]): void {
    const meant = tracks.filter((id) => can.value.includes(id));
    const back = meant.some((id) => off.value.includes(id));
    heard.value = back ? off.value.filter((id) => !meant.includes(id)) : [...off.value, ...meant];
  }

  /** Of the chosen tracks those to which it is done, or all of those. */
  function meant(all: boolean): string[] {
    if (off.value.length > 0) return off.value;
    if (all) return can.value;
    const chosen = acts.chosenTracks().filter((id) => can.value.includes(id));
    return chosen.length > 0 ? chosen : can.value;
  }

  /** The key goes down: a tap switches over, holding it lets the other be heard for as long. */
  function press(event: KeyboardEvent, all = false): void {
    if (event.repeat) return;
    if (can.value.length === 0) return session.say(none);
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

  return { off, switchOver, press };
}
