import { RATE } from "../model/units";
import type { DeskContext } from "./context";

/** Where playing was started last; Enter goes back there. */
let lastStart = 0;

export function togglePlay(desk: DeskContext, length: number): void {
  if (desk.player.state.playing) {
    desk.player.pause();
    return;
  }
  const range = desk.loopOn.value ? desk.selection.range : undefined;
  let from = desk.playhead.value >= length - RATE / 10 ? 0 : desk.playhead.value; // at the end: from the start
  if (range && (from < range.from || from >= range.to)) from = range.from;
  lastStart = from;
  desk.playhead.value = from;
  void desk.player.play(from);
}

export function playAgain(desk: DeskContext): void {
  desk.playhead.value = lastStart;
  void desk.player.play(lastStart);
}
