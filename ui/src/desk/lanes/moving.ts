import type { Refusal } from "../../api/client";
import { modified } from "../../model/machine";
import { timeText } from "../../model/units";
import type { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { newGesture, startDrag } from "../widgets/drag";
import { along } from "./stretch";
import { snap, snapPlaces } from "./snap";

type Session = ReturnType<typeof useSession>;

/**
 * Moves the chosen clips in time and between tracks while one of them is dragged, keeping their distances. With Ctrl
 * held when it is let go, copies are left there instead.
 */
export function moveClips(
  event: PointerEvent,
  desk: DeskContext,
  session: Session,
  id: string,
  choose: () => void,
): void {
  const already = desk.selection.clips.includes(id);
  const more = modified(event);
  if (!more) choose();
  const ids = desk.selection.clips.includes(id) ? [...desk.selection.clips] : [id];
  const rows = session.document!.tracks.map((t) => t.id);
  const origins = ids.flatMap((clip) => {
    const c = session.clip(clip);
    const row = rows.indexOf(session.trackOfClip(clip)?.id ?? "");
    return c ? [{ clip, start: c.start, length: c.length, row }] : [];
  });
  const held = origins.find((o) => o.clip === id);
  if (!held) return;
  const places = snapPlaces(session.document!, desk, ids);
  const earliest = Math.min(...origins.map((o) => o.start));
  const [top, bottom] = [Math.min(...origins.map((o) => o.row)), Math.max(...origins.map((o) => o.row))];
  const gesture = newGesture();
  let moves = origins.map((o) => ({ clip: o.clip, start: o.start, track: rows[o.row] }));
  let sent = false;

  // What is refused is said where the hand is, which may go on to a place where it fits.
  const full = (refusal: Refusal): boolean => {
    if (refusal.code !== "three-at-once" || !desk.tag.value) return false;
    desk.tag.value = { ...desk.tag.value, text: "two clips lie there already" };
    return true;
  };
  startDrag(event, {
    scroll: along(desk),
    move: ({ dx, event: e }) => {
      let by = dx * desk.time.scale;
      by += snap(desk, places, [held.start + by, held.start + by + held.length], e.altKey);
      by = Math.round(Math.max(by, -earliest));
      const over = document
        .elementsFromPoint(e.clientX, e.clientY)
        .find((el) => el instanceof HTMLElement && el.dataset.track) as HTMLElement | undefined;
      const row = rows.indexOf(over?.dataset.track ?? "");
      const down = row < 0 ? 0 : Math.max(-top, Math.min(rows.length - 1 - bottom, row - held.row));
      moves = origins.map((o) => ({ clip: o.clip, start: o.start + by, track: rows[o.row + down] }));
      const what = modified(e) ? "copy to " : "";
      desk.tag.value = { x: e.clientX, y: e.clientY, text: what + timeText(held.start + by) };
      if (modified(e)) {
        desk.ghosts.value = origins.map((o, i) => ({
          track: moves[i]!.track!,
          start: moves[i]!.start,
          length: o.length,
        }));
        if (sent) putBack();
        return;
      }
      desk.ghosts.value = [];
      sent = true;
      void session.edit({ type: "move-clips", moves }, gesture, full);
    },
    click: (e) => {
      if (more) choose();
      else if (already && !e.shiftKey) desk.selection.clips = [id];
    },
    back: () => session.takeBack(gesture),
    end: (moved) => {
      if (moved && desk.ghosts.value.length > 0) void session.edit({ type: "move-clips", moves, copy: true });
      desk.tag.value = desk.guide.value = undefined;
      desk.ghosts.value = [];
    },
  });

  /** While copies are meant, the clips lie where they lay; a drag that comes back is no step of the history. */
  function putBack(): void {
    sent = false;
    const back = origins.map((o) => ({ clip: o.clip, start: o.start, track: rows[o.row] }));
    void session.edit({ type: "move-clips", moves: back }, gesture);
  }
}
