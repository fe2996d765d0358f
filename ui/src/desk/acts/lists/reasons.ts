import { clipsUnder } from "../../../document/parts";
import { useSession } from "../../../stores/session";
import type { DeskContext } from "../../state/context";
import { useActs } from "../acts";
import { whatWasCopied } from "../clipboard";

/** Why acts cannot be done now, in words that say what to do. */
export function useReasons(desk: DeskContext) {
  const session = useSession();
  const acts = useActs(desk);
  const unless = (can: () => boolean, why: string) => () => (can() ? undefined : why);
  const under = (track: string) => clipsUnder(session.document, Math.round(desk.playhead.value), track).length > 0;
  const chosen = () => acts.chosen().length > 0;
  return {
    acts,
    something: unless(() => session.length > 0, "There is nothing in the session yet."),
    stretch: unless(
      () => acts.range() !== undefined,
      "Choose a stretch first: drag over a clip or the ruler, or mark its start and its end (; and ').",
    ),
    clip: unless(chosen, "Choose a clip first."),
    several: unless(() => acts.chosen().length > 1, "Choose two clips that a split has parted."),
    meant: unless(
      () => chosen() || under(desk.selection.track),
      "Choose a clip, or put the playhead on one of the chosen track.",
    ),
    cut: unless(() => under(desk.selection.track), "Put the playhead on a clip of the chosen track."),
    anywhere: unless(() => under(""), "Put the playhead on a clip."),
    track: unless(() => acts.chosenTracks().length > 0, "Choose a track first."),
    removable: unless(
      () => chosen() || desk.selection.points.length > 0 || acts.range() !== undefined,
      "Choose a clip, a stretch or points first.",
    ),
    copied: unless(() => whatWasCopied() !== undefined || acts.pointsGoOn() !== undefined, "Copy something first."),
    clips: unless(
      () => (session.document?.tracks ?? []).some((t) => Object.keys(t.clips).length > 0),
      "There is no clip yet.",
    ),
    lines: unless(
      () => (desk.lines.value.tracks ? acts.chosenTracks().length > 0 : chosen()),
      "Choose the clip or the track whose level line it is.",
    ),
  };
}

export type Reasons = ReturnType<typeof useReasons>;
