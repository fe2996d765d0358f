import type { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { startDrag } from "../widgets/drag";

type Session = ReturnType<typeof useSession>;

/** The ids of the tracks whose lanes lie between two heights on the screen. */
function lanesBetween(y1: number, y2: number): string[] {
  const [top, bottom] = [Math.min(y1, y2), Math.max(y1, y2)];
  return [...document.querySelectorAll<HTMLElement>(".lane[data-track]")]
    .filter((lane) => {
      const box = lane.getBoundingClientRect();
      return box.top < bottom && box.bottom > top;
    })
    .map((lane) => lane.dataset.track!);
}

/**
 * A press on an empty place of a lane: a click moves the playhead there; a drag chooses a stretch of time on the tracks
 * that it crosses, or, with Shift held, all clips that its frame touches.
 */
export function selectIn(event: PointerEvent, desk: DeskContext, session: Session, track: string): void {
  const left = (event.currentTarget as HTMLElement).getBoundingClientRect().left;
  const at = Math.max(0, desk.time.frame(event.clientX - left));
  const { selection } = desk;
  const byFrame = event.shiftKey;
  const before = byFrame && event.ctrlKey ? [...selection.clips] : [];
  startDrag(event, {
    move: ({ event: e }) => {
      const to = Math.max(0, desk.time.frame(e.clientX - left));
      const range = { from: Math.min(at, to), to: Math.max(at, to), tracks: lanesBetween(event.clientY, e.clientY) };
      selection.range = range;
      selection.tracks = range.tracks;
      selection.track = track;
      if (byFrame && desk.lines.value.tracks) {
        // While the level lines of tracks are shown, a frame chooses their points.
        const points = session.document?.tracks.find((t) => t.id === track)?.envelope ?? [];
        selection.line = track;
        selection.points = points.filter((p) => p.at >= range.from && p.at <= range.to).map((p) => p.at);
      } else if (byFrame) selection.clips = [...new Set([...before, ...touched(session, range)])];
    },
    end: (moved) => {
      if (moved && byFrame) selection.range = undefined;
    },
    click: () => {
      selection.clips = [];
      selection.points = [];
      selection.range = undefined;
      selection.track = track;
      selection.tracks = [track];
      desk.seek(at);
    },
  });
}

function touched(session: Session, range: { from: number; to: number; tracks: string[] }): string[] {
  return (session.document?.tracks ?? [])
    .filter((t) => range.tracks.includes(t.id))
    .flatMap((t) =>
      Object.entries(t.clips)
        .filter(([, c]) => c.start < range.to && c.start + c.length > range.from)
        .map(([id]) => id),
    );
}
