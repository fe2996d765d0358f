import { RATE } from "../model/units";
import { useSession } from "../stores/session";
import type { DeskContext } from "./context";

/** Where playing was started last; Enter goes back there. */
let lastStart = 0;

export function togglePlay(desk: DeskContext, length: number): void {
  if (desk.recorder.busy) {
    void desk.recorder.stop();
    return;
  }
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
  if (desk.recorder.busy) return;
  desk.playhead.value = lastStart;
  void desk.player.play(lastStart);
}

/** Records at the playhead onto the armed track, or the chosen or first one for a voice; ends a recording that goes on. */
export async function toggleRecord(desk: DeskContext): Promise<void> {
  const session = useSession();
  if (desk.recorder.busy) return desk.recorder.stop();
  desk.stage.value = "gather";
  desk.gatherTab.value = "record";
  desk.hearing.stop();
  const voices = () => session.document?.tracks.filter((t) => t.part === "voice") ?? [];
  const armed = session.document?.tracks.find((t) => t.id === desk.armed.value);
  let track = armed ?? voices().find((t) => t.id === desk.selection.track) ?? voices()[0];
  if (!track) {
    await session.edit({ type: "add-track", part: "voice" });
    track = voices()[0];
  }
  if (!track) return;
  desk.armed.value = track.id;
  await desk.recorder.record(track.id, Math.round(desk.playhead.value));
}
