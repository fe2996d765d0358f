import { modified } from "../../model/machine";
import type { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { startDrag } from "../widgets/drag";
import { touched } from "../state/choosing";
import { along, dragStretch, lanesBetween } from "./stretch";

type Session = ReturnType<typeof useSession>;

/**
 * A press on an empty place of a lane: a click moves the playhead there; a drag chooses a stretch of time on the tracks
 * that it crosses, or, with Shift held, all clips that its frame touches.
 */
export function selectIn(event: PointerEvent, desk: DeskContext, session: Session, track: string): void {
  const { left } = (event.currentTarget as HTMLElement).getBoundingClientRect();
  const { selection } = desk;
  const click = (_: PointerEvent, at: number) => {
    Object.assign(selection, { clips: [], points: [], range: undefined, track, tracks: [track] });
    desk.seek(at);
  };
  if (event.shiftKey) return frame(event, desk, session, { track, left, click });
  const on = (e: PointerEvent) => lanesBetween(event.clientY, e.clientY);
  dragStretch(event, desk, session, { left, on, withClips: true, click });
  if (event.button === 0) selection.track = track;
}

function frame(
  event: PointerEvent,
  desk: DeskContext,
  session: Session,
  { track, left, click }: { track: string; left: number; click: (e: PointerEvent, at: number) => void },
): void {
  const { selection } = desk;
  const at = Math.max(0, desk.time.frame(event.clientX - left));
  const was = { ...selection };
  const before = modified(event) ? [...selection.clips] : [];
  startDrag(event, {
    scroll: along(desk),
    move: ({ event: e }) => {
      const to = Math.max(0, desk.time.frame(e.clientX - left));
      const range = { from: Math.min(at, to), to: Math.max(at, to), tracks: lanesBetween(event.clientY, e.clientY) };
      Object.assign(selection, { range, tracks: range.tracks, track });
      if (desk.lines.value.tracks) {
        // While the level lines of tracks are shown, a frame chooses their points.
        const points = session.document?.tracks.find((t) => t.id === track)?.envelope ?? [];
        selection.line = track;
        selection.points = points.filter((p) => p.at >= range.from && p.at <= range.to).map((p) => p.at);
      } else selection.clips = [...new Set([...before, ...touched(session, range.tracks, range)])];
    },
    back: () => Object.assign(selection, was),
    end: (moved) => {
      if (moved) selection.range = undefined;
    },
    click: (e) => click(e, at),
  });
}
