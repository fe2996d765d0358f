/**
 * The line in which a track makes way for speech, as core/duck plans it: from where speech is, by how much the track goes
 * down under each stretch of it, and its settings. It is drawn here; by how much is never found out here.
 */
import type { Schema } from "../api/client";
import { RATE } from "../model/units";
import type { Way } from "../model/way";

type Point = { at: number; level: number };
type Stretch = Schema["Span"];

const frames = (millis: number) => Math.round((millis / 1000) * RATE);

/** A pause shorter than this is bridged. */
export function bridgeOf(s: Schema["Way"]): number {
  return Math.max(frames(s.bridge), frames(s.up) + frames(s.down) + frames(s.stay));
}

/** The index of the first stretch whose way up ends after a frame. */
function firstAfter(way: Way, up: number, from: number): number {
  let [low, high] = [0, way.stretches.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (way.stretches[middle]!.to + up > from) high = middle;
    else low = middle + 1;
  }
  return low;
}

/** The corners of the line between two frames, so that the line through them is the whole line there. */
export function wayCorners(way: Way, from: number, to: number): Point[] {
  const { stretches, drops, settings } = way;
  const [down, up, bridge] = [frames(settings.down), frames(settings.up), bridgeOf(settings)];
  const bridged = (i: number) => i > 0 && i < stretches.length && stretches[i]!.from - stretches[i - 1]!.to < bridge;
  const out: Point[] = [];
  const add = (at: number, level: number) => {
    const last = out[out.length - 1];
    if (last && last.at >= at) last.level = level;
    else out.push({ at, level });
  };
  for (let i = firstAfter(way, up, from); i < stretches.length; i++) {
    const s = stretches[i]!;
    if (s.from - down >= to && !(bridged(i) && stretches[i - 1]!.to < to)) break;
    const deep = drops[i] ?? 0;
    if (!bridged(i)) {
      const begin = s.from - down;
      if (begin >= 0) add(begin, 0);
      else if (s.from > 0) add(0, (-deep * (down - s.from)) / down); // it was under way when the session began
    } else {
      const [before, last] = [drops[i - 1] ?? 0, stretches[i - 1]!.to];
      if (out.length === 0) add(last, -before);
      const gap = s.from - last;
      if (deep > before) add(s.from - Math.min(down, gap), -before);
      else if (deep < before) add(last + Math.min(up, gap), -deep);
    }
    add(s.from, -deep);
    add(s.to, -deep);
    if (!bridged(i + 1)) add(s.to + up, 0);
  }
  return out;
}

/** The level of a line through corners, constant outside, at frames that never go back. */
export function wayReader(corners: Point[]): (at: number) => number {
  let i = 0;
  return (at) => {
    if (corners.length === 0) return 0;
    if (i > 0 && at < corners[i - 1]!.at) i = 0;
    while (i < corners.length && corners[i]!.at <= at) i++;
    const [a, b] = [corners[i - 1], corners[i]];
    if (!a) return corners[0]!.level;
    if (!b) return a.level;
    return a.level + ((b.level - a.level) * (at - a.at)) / (b.at - a.at);
  };
}

/** The level, in dB, to which a track has gone down at a frame. */
export function wayAt(way: Way, at: number): number {
  return wayReader(wayCorners(way, at, at + 1))(at);
}

/** Where a frame lies in speech, or in the pause before: the stretch at it or the next one; undefined after the last. */
export function stretchNear(stretches: Stretch[], at: number): number | undefined {
  let [low, high] = [0, stretches.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (stretches[middle]!.to > at) high = middle;
    else low = middle + 1;
  }
  return low < stretches.length ? low : undefined;
}
