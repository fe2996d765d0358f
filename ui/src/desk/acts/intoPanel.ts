import type { DeskContext } from "../state/context";
import { goOn } from "../../talk/focus";

/**
 * An act that shows something in the panel leads the focus there if it was found by words, or if the focus was in the panel: what
 * had it goes. A key that is pressed on the timeline leaves it there.
 */
export function intoPanel(desk: DeskContext, event?: KeyboardEvent, wanted?: string): void {
  const there = (event?.target as HTMLElement | null)?.closest?.("aside.panel");
  if (event && !there) return;
  desk.panelOpen.value = true;
  goOn(wanted ?? "aside.panel [role=tab][aria-selected=true]");
}
