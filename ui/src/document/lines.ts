import type { Schema } from "../api/client";
import { LOUDEST, SILENCE } from "../model/units";
import { clipIn, trackIn } from "./parts";
import type { Document } from "./sheet";

/** A level line, by the id of the clip or the track that it belongs to. */
export interface Line {
  id: string;
  /** How edits name it. */
  named: { clip: string } | { track: string };
  points: Schema["Point"][];
  owner: string;
  /** The session time at which its own time is 0: a clip's line counts from the beginning of its sound. */
  zero: number;
  /** The session times between which it is heard. */
  from: number;
  to: number;
}

export function lineOf(document: Document | undefined, id: string): Line | undefined {
  const clip = clipIn(document, id);
  if (clip) {
    const { start, offset, length } = clip;
    const zero = start - offset;
    return {
      id,
      named: { clip: id },
      points: clip.envelope,
      owner: clip.name,
      zero,
      from: start,
      to: start + length,
    };
  }
  const track = trackIn(document, id);
  if (!document || !track) return undefined;
  return {
    id,
    named: { track: id },
    points: track.envelope,
    owner: track.name,
    zero: 0,
    from: 0,
    to: Math.max(1, ...document.tracks.flatMap((t) => Object.values(t.clips).map((c) => c.start + c.length))),
  };
}

/** A level as a hand sets it: to a tenth of a dB, and within what there is. */
export function handLevel(level: number): number {
  const held = Math.min(LOUDEST, level);
  return held <= SILENCE ? SILENCE : Math.round(held * 10) / 10;
}

/** Moves of points by a time and a level; they are told by their places among the others, which they cannot pass. */
export function movesOf(line: Line, places: number[], by: number, up: number): Schema["PointMove"][] {
  return places.flatMap((place) => {
    const p = line.points[place];
    if (!p) return [];
    const level = p.level <= SILENCE && up < 0 ? SILENCE : handLevel(p.level + up);
    return [{ ...line.named, from: p.at, at: Math.max(0, p.at + Math.round(by)), level }];
  });
}

/** The places of chosen points among all of a line. */
export function placesOf(line: Line, times: number[]): number[] {
  return line.points.flatMap((p, place) => (times.includes(p.at) ? place : []));
}
