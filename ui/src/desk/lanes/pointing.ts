import type { Schema } from "../../api/client";
import { gone } from "../../document/parts";
import { levelAt, levelOfPlace, placeOf } from "../../drawing/level";
import { modified } from "../../model/machine";
import { levelText, percentText, SILENCE, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { newGesture, startDrag } from "../widgets/drag";
import { handLevel, lineOf, movesOf, placesOf } from "../../document/lines";
import { snap, snapPlaces } from "./snap";

/** With Shift, a drag holds the axis that it has gone less far along, and moves levels a tenth as far. */
const FINE = 0.1;

/** A level line as it lies on the screen. */
export interface Laid {
  /** The clip or the track. */
  id: string;
  points: Schema["Point"][];
  /** The session time at which the line's own time is 0, and the one at the left edge of the box. */
  zero: number;
  edge: number;
  height: number;
}

/** Taking hold of a level line and its points, by pointer and by keys. */
export function usePointing(desk: DeskContext, props: Laid) {
  const session = useSession();
  const timeOf = (at: number) => props.zero + at;

  function selected(at: number): boolean {
    return desk.selection.line === props.id && desk.selection.points.includes(at);
  }

  function select(points: number[]): void {
    const { selection } = desk;
    Object.assign(selection, { line: props.id, points });
    if (session.clip(props.id)) selection.clips = [props.id];
    else Object.assign(selection, { clips: [], track: props.id, tracks: [props.id] });
  }

  function tag(event: PointerEvent, time: number, level: number): void {
    const text = `${timeText(time)}  ${levelText(level, true)}  ${percentText(level)}`;
    desk.tag.value = { x: event.clientX, y: event.clientY, text };
  }

  const letGo = () => (desk.tag.value = desk.guide.value = desk.ramp.value = undefined);

  /** A press on the line puts a point there, and going on to drag moves it; with Ctrl held it draws a ramp from there. */
  function pressLine(event: PointerEvent): void {
    if (event.button !== 0) return;
    const box = (event.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
    const time = Math.round(props.edge + (event.clientX - box.left) * desk.time.scale);
    const at = Math.max(0, time - props.zero);
    const level = handLevel(levelAt(props.points, at));
    if (modified(event)) return drawRamp(event, box, timeOf(at), level);
    const gesture = newGesture();
    const { named } = lineOf(session.document, props.id)!;
    void session
      .edit({ type: "add-points", points: [{ ...named, at, level }] }, gesture)
      .then((change) => change && select([at]));
    dragPoints(event, at, [at], gesture);
  }

  function drawRamp(event: PointerEvent, box: DOMRect, from: number, start: number): void {
    const places = snapPlaces(session.document!, desk);
    startDrag(event, {
      move: ({ event: e }) => {
        let to = Math.max(props.zero, props.edge + (e.clientX - box.left) * desk.time.scale);
        to = Math.round(to + snap(desk, places, [to], e.altKey));
        const level = handLevel(levelOfPlace(Math.min(1, Math.max(0, (e.clientY - box.top) / props.height))));
        desk.ramp.value = { line: props.id, from, to, start, level };
        tag(e, to, level);
      },
      end: (moved) => {
        const r = desk.ramp.value;
        letGo();
        if (!moved || !r || r.to === r.from) return;
        const { named } = lineOf(session.document, props.id)!;
        void session
          .edit({ type: "draw-ramp", ...named, from: r.from, to: r.to, level: r.level })
          .then((change) => change && select([Math.max(0, r.to - props.zero)]));
      },
    });
  }

  function pressPoint(event: PointerEvent, at: number): void {
    if (event.button !== 0) return;
    const was = selected(at);
    if (!was) select(event.shiftKey && desk.selection.line === props.id ? [...desk.selection.points, at] : [at]);
    // Of several that are chosen one is held to drag them all; a click means it alone, or with Shift all but it.
    const click = () => was && select(event.shiftKey ? desk.selection.points.filter((p) => p !== at) : [at]);
    dragPoints(event, at, [...desk.selection.points], newGesture(), click);
  }

  /** Drags points, those that were chosen with the one that is held, in time and level. */
  function dragPoints(event: PointerEvent, held: number, times: number[], gesture: string, click = () => {}): void {
    const { id } = props;
    const origin = lineOf(session.document, props.id)!;
    const was = origin.points.find((p) => p.at === held) ?? {
      at: held,
      level: handLevel(levelAt(origin.points, held)),
    };
    const all = [...origin.points.filter((p) => p.at !== held), was].sort((a, b) => a.at - b.at);
    const line = { ...origin, points: all };
    const chosen = placesOf(line, times);
    const [low, high] = roomOf(all, chosen);
    const places = snapPlaces(session.document!, desk);
    const top = placeOf(was.level);
    let axis: "time" | "level" | undefined;
    startDrag(event, {
      move: ({ dx, dy, event: e }) => {
        axis = e.shiftKey ? (axis ?? (Math.abs(dx) > Math.abs(dy) ? "time" : "level")) : undefined;
        let by = axis === "level" ? 0 : dx * desk.time.scale;
        if (axis !== "level") by += snap(desk, places, [timeOf(held + by)], e.altKey);
        by = Math.round(Math.min(high, Math.max(low, by)));
        const far = axis === "time" ? 0 : axis === "level" ? dy * FINE : dy;
        const level = handLevel(levelOfPlace(Math.min(1, Math.max(0, top + far / props.height))));
        tag(e, timeOf(held + by), level);
        // Where they stand is known when the edit's turn comes: the one before it has moved them.
        void session
          .edit((document) => {
            const now = lineOf(document, id)?.points;
            if (!now) throw gone("The level line");
            const moves = chosen.flatMap((place) => {
              const [from, p] = [now[place], all[place]];
              if (!from || !p) return [];
              const to = p.at === held ? level : handLevel(p.level + level - was.level);
              return [
                {
                  ...line.named,
                  from: from.at,
                  at: p.at + by,
                  level: p.level <= SILENCE && p.at !== held ? SILENCE : to,
                },
              ];
            });
            return moves.length > 0 ? { type: "move-points", moves } : undefined;
          }, gesture)
          .then(() => follow(chosen));
      },
      click,
      back: () => session.takeBack(gesture),
      end: letGo,
    });
  }

  /** How far chosen points can go each way before one of them meets a neighbour that stays. */
  function roomOf(points: Schema["Point"][], chosen: number[]): [number, number] {
    let [low, high] = [-Infinity, Infinity];
    for (const place of chosen) {
      const p = points[place]!;
      const [before, after] = [points[place - 1], points[place + 1]];
      low = Math.max(low, -p.at);
      if (before && !chosen.includes(place - 1)) low = Math.max(low, before.at + 1 - p.at);
      if (after && !chosen.includes(place + 1)) high = Math.min(high, after.at - 1 - p.at);
    }
    return [low, high];
  }

  /** Keeps points chosen that have moved. */
  function follow(places: number[]): void {
    if (desk.selection.line !== props.id) return; // something else has been chosen meanwhile
    const now = lineOf(session.document, props.id);
    const times = places.flatMap((place) => now?.points[place]?.at ?? []);
    if (times.length > 0) select(times);
  }

  /** Keys move the chosen points, or the one in focus if it is none of them. */
  function key(event: KeyboardEvent, at: number): void {
    const [dB, ms] = event.shiftKey ? [0.1, 100] : [1, 10];
    const step: Record<string, [number, number]> = {
      ArrowUp: [0, dB],
      ArrowDown: [0, -dB],
      ArrowLeft: [-ms * 48, 0],
      ArrowRight: [ms * 48, 0],
    };
    const { id } = props;
    const chosen = selected(at) ? [...desk.selection.points] : [at];
    const line = lineOf(session.document, id)!;
    if (event.key === "Delete" || event.key === "Backspace") {
      desk.selection.points = [];
      void session.edit({ type: "remove-points", points: chosen.map((p) => ({ ...line.named, at: p })) });
    } else if (step[event.key]) {
      const places = placesOf(line, chosen);
      const [by, up] = step[event.key]!;
      void session
        .edit((document) => {
          const now = lineOf(document, id);
          if (!now) throw gone("The level line");
          const moves = movesOf(now, places, by, up);
          return moves.length > 0 ? { type: "move-points", moves } : undefined;
        })
        .then(() => follow(places));
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }

  return { timeOf, selected, select, pressLine, pressPoint, key };
}
