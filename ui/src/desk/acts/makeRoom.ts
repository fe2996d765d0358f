import { goOn } from "../../talk/focus";
import type { DeskContext } from "../state/context";

/** Shows what would make room for speech in the whole session. */
export function makeRoom(desk: DeskContext): void {
  desk.panelOpen.value = true;
  desk.stage.value = "balance";
  desk.balanceTab.value = "room";
  desk.rooming.value = true;
  goOn("aside.panel .room .filled:not(:disabled)");
}
