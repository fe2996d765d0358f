import { useEventListener } from "@vueuse/core";
import { RATE } from "../../model/units";
import type { DeskContext } from "../state/context";
import { usePictures } from "./pictures";

/** The playhead goes with what is heard or recorded, and the view with the playhead. */
export function useFollowing(desk: DeskContext): void {
  const { player, recorder } = desk;

  /** Brings the playhead to where it is heard, if it goes with that. */
  function goOn(): boolean {
    const heard = player.state.playing && !recorder.busy && !desk.scrubbing.value;
    if (recorder.state.phase === "recording") desk.playhead.value = recorder.frameNow();
    else if (heard) desk.playhead.value = player.frameNow();
    else return false;
    return true;
  }

  /** The next picture of what is heard. */
  function picture(): void {
    player.showLevels();
    const { time } = desk;
    if (!goOn() || !desk.following.value) return;
    if (desk.playhead.value > time.end && desk.playhead.value < time.end + time.width * time.scale) {
      time.show(desk.playhead.value - time.width * time.scale * 0.1);
    }
  }
  // A desk on which nothing moves draws nothing.
  usePictures(
    () => player.state.playing || recorder.state.phase === "recording",
    () => (desk.time.scale / RATE) * 1000,
    picture,
  );
  // What a key or a press is meant for is where it is heard at that moment, not where it was drawn last.
  useEventListener(window, ["keydown", "pointerdown", "click"], () => void goOn(), { capture: true });
}
