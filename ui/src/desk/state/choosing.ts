import { modified } from "../../model/machine";
import type { useSession } from "../../stores/session";
import type { DeskContext } from "./context";

type Session = ReturnType<typeof useSession>;

/** The keys that are held with a press or with another key. */
export interface Held {
  shiftKey: boolean;
  ctrlKey: boolean;
  metaKey: boolean;
}

export const NO_KEYS: Held = { shiftKey: false, ctrlKey: false, metaKey: false };

/** Chooses a clip; with Ctrl or Shift it is added to those that are chosen, or taken off. One that is chosen already stays with the others. */
export function chooseClip(desk: DeskContext, session: Session, id: string, held: Held = NO_KEYS): void {
  const { selection } = desk;
  const clip = session.clip(id);
  const track = session.trackOfClip(id)?.id;
  if (!clip || !track) return;
  const chosen = selection.clips.includes(id);
  selection.points = [];
  selection.track = track;
  selection.tracks = [track];
  if (held.shiftKey || modified(held)) {
    selection.clips = chosen ? selection.clips.filter((c) => c !== id) : [...selection.clips, id];
  } else if (!chosen) {
    selection.clips = [id];
    // A stretch of time that does not lie in the clip is not meant any more.
    const { range } = selection;
    if (range && (range.to <= clip.start || range.from >= clip.start + clip.length)) selection.range = undefined;
  }
}

/** Chooses a track; with Ctrl it is added to those that are chosen or taken off, with Shift all in between are. */
export function chooseTrack(desk: DeskContext, session: Session, id: string, held: Held = NO_KEYS): void {
  const { selection } = desk;
  const all = session.document?.tracks.map((t) => t.id) ?? [];
  if (held.shiftKey && all.includes(selection.track)) {
    const [a, b] = [all.indexOf(selection.track), all.indexOf(id)].sort((x, y) => x - y);
    selection.tracks = all.slice(a, b! + 1);
  } else if (modified(held)) {
    const there = selection.tracks.includes(id);
    selection.tracks = there ? selection.tracks.filter((t) => t !== id) : [...selection.tracks, id];
    selection.track = there ? (selection.tracks[0] ?? "") : id;
  } else {
    selection.tracks = [id];
    selection.track = id;
  }
  selection.clips = [];
  selection.points = [];
}

/** Chooses a stretch; the clips on its tracks that it touches become the chosen ones, so that what acts on them acts on it. */
export function chooseStretch(
  desk: DeskContext,
  session: Session,
  range: { from: number; to: number; tracks?: string[] },
): void {
  const { selection } = desk;
  selection.range = range;
  if (!range.tracks) return;
  Object.assign(selection, { points: [], tracks: range.tracks, clips: touched(session, range.tracks, range) });
}

/** The clips on some tracks that lie in a stretch of time, or reach into it. */
export function touched(session: Session, tracks: string[], range: { from: number; to: number }): string[] {
  return (session.document?.tracks ?? [])
    .filter((t) => tracks.includes(t.id))
    .flatMap((t) =>
      Object.entries(t.clips)
        .filter(([, c]) => c.start < range.to && c.start + c.length > range.from)
        .map(([id]) => id),
    );
}
