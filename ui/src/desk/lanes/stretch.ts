import { lengthText, timeText } from "../../model/units";
import type { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { startDrag, type Drag } from "../widgets/drag";
import { chooseStretch } from "../state/choosing";
import { snap, snapPlaces } from "./snap";

type Session = ReturnType<typeof useSession>;

/** How a stretch of time is chosen by dragging. */
interface Stretching {
  /** The left edge of the lanes on the screen. */
  left: number;
  /** The tracks that it is chosen on, with the pointer at a place; undefined: on all. */
  on: (event: PointerEvent) => string[] | undefined;
  /** The clips on these tracks that it touches become the chosen ones, so that what acts on them acts on it. */
  withClips?: boolean;
  /** What a press means that is no drag, and where it was. */
  click: (event: PointerEvent, at: number) => void;
}

/** Chooses a stretch of time while the pointer is dragged; its ends meet words, clips, markers and the playhead. */
export function dragStretch(event: PointerEvent, desk: DeskContext, session: Session, how: Stretching): void {
  const { selection } = desk;
  const before = { range: selection.range, tracks: [...selection.tracks], track: selection.track };
  const pressed = Math.max(0, desk.time.frame(event.clientX - how.left));
  let places: number[] | undefined;
  let from = pressed;
  startDrag(event, {
    scroll: along(desk),
    begin: (e) => {
      selection.range = undefined; // its own ends hold it no more
      places = snapPlaces(session.document!, desk);
      from = Math.max(0, Math.round(pressed + meeting(e, pressed)));
    },
    move: ({ event: e }) => {
      const free = Math.max(0, desk.time.frame(e.clientX - how.left));
      const to = Math.max(0, Math.round(free + meeting(e, free)));
      const range = { from: Math.min(from, to), to: Math.max(from, to), tracks: how.on(e) };
      selection.range = range;
      if (range.tracks) selection.tracks = range.tracks;
      const text = `${timeText(range.from)} to ${timeText(range.to)}, ${lengthText(range.to - range.from)}`;
      desk.tag.value = { x: e.clientX, y: e.clientY, text };
    },
    back: () => Object.assign(selection, before),
    end: (moved) => {
      desk.tag.value = desk.guide.value = undefined;
      const { range } = selection;
      if (!moved || !range) return;
      if (range.to === range.from) selection.range = undefined;
      else if (how.withClips) chooseStretch(desk, session, range);
    },
    click: (e) => how.click(e, pressed),
  });

  /** How far a place is from something that it meets; time itself holds nothing here. */
  function meeting(e: PointerEvent, at: number): number {
    const by = snap(desk, places!, [at], e.altKey);
    return desk.guide.value === undefined ? 0 : by;
  }
}

/** Scrolls along time with a finger; up and down the browser does it. */
export function along(desk: DeskContext): (drag: Drag) => void {
  const { start, scale } = desk.time;
  return ({ dx }) => desk.time.show(start - dx * scale);
}

/** The ids of the tracks whose lanes lie between two heights on the screen. */
export function lanesBetween(y1: number, y2: number): string[] {
  const [top, bottom] = [Math.min(y1, y2), Math.max(y1, y2)];
  return [...document.querySelectorAll<HTMLElement>(".lane[data-track]")]
    .filter((lane) => {
      const box = lane.getBoundingClientRect();
      return box.top < bottom && box.bottom > top;
    })
    .map((lane) => lane.dataset.track!);
}
