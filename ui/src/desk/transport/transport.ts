import { RATE } from "../../model/units";
import { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";

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

/** How much is heard before a place that is to be judged. */
const PRE_ROLL = 2 * RATE;

/** Plays from a little before the playhead. */
export function playBefore(desk: DeskContext): void {
  if (desk.recorder.busy) return;
  const from = Math.max(0, desk.playhead.value - PRE_ROLL);
  lastStart = from;
  void desk.player.play(from);
}

/** Plays the chosen stretch once. */
export function playStretch(desk: DeskContext): void {
  const { range } = desk.selection;
  if (desk.recorder.busy || !range) return;
  lastStart = range.from;
  void desk.player.playOnly(range.from, { to: range.to });
}

/** Plays the joins after the playhead, a second before and after each. */
export function playJoins(desk: DeskContext): void {
  if (desk.recorder.busy) return;
  lastStart = desk.playhead.value;
  void desk.player.playOnly(desk.playhead.value, "joins");
}

/** Stops, and goes back to where playing began. */
export function goBack(desk: DeskContext): void {
  if (desk.recorder.busy) return;
  desk.player.pause();
  desk.playhead.value = lastStart;
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
