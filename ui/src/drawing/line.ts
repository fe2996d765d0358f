import type { Schema } from "../api/client";
import { levelAt, placeOf } from "./level";

/** Pixels between the places at which a level line is worked out, besides its points. */
const STEP = 6;

/**
 * A level line as places to be joined by straight strokes, within a box of so many pixels.
 * @param first the time, on the line's own clock, at the left edge of the box
 */
export function strokesOf(
  line: Schema["Point"][],
  first: number,
  scale: number,
  width: number,
  height: number,
): [number, number][] {
  const y = (x: number): [number, number] => [x, placeOf(levelAt(line, first + x * scale)) * height];
  if (line.length === 0) return [y(0), y(width)];
  const xs = new Set<number>([0, width]);
  for (let x = 0; x < width; x += STEP) xs.add(x);
  for (const p of line) {
    const x = (p.at - first) / scale;
    if (x > 0 && x < width) xs.add(x);
  }
  return [...xs].sort((a, b) => a - b).map(y);
}
