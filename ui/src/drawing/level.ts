/**
 * What drawing needs to know of levels: where a level stands in a clip's body, and the gain that a waveform is
 * inked with. The rules are those of core/envelope and core/fade; sound is never computed here.
 */
import type { Schema } from "../api/client";
import { gainOf, LOUDEST, SILENCE } from "../model/units";

type Point = Schema["Point"];
type Clip = Schema["Clip"];

const KNEE = -60;
const KNEE_GAIN = 0.001;

/** Level to the scale on which lines are straight: dB down to the knee, then amplitude. */
function heightOf(db: number): number {
  return db >= KNEE ? db : 2 * KNEE - (KNEE * gainOf(db)) / KNEE_GAIN;
}

function levelOfHeight(x: number): number {
  if (x >= KNEE) return x;
  const gain = (KNEE_GAIN * (x - 2 * KNEE)) / -KNEE;
  return gain > 1e-6 ? 20 * Math.log10(gain) : SILENCE;
}

/** The level of a line at a time, in dB. */
export function levelAt(points: Point[], at: number): number {
  const first = points[0];
  if (!first) return 0;
  if (at <= first.at) return first.level;
  for (let i = 1; i < points.length; i++) {
    const [a, b] = [points[i - 1]!, points[i]!];
    if (at < b.at) {
      const [x, y] = [heightOf(a.level), heightOf(b.level)];
      return levelOfHeight(x + ((y - x) * (at - a.at)) / (b.at - a.at));
    }
  }
  return points[points.length - 1]!.level;
}

/** The gain of a fade's shape, t from 0 to 1. */
export function shapeGain(shape: string, t: number): number {
  if (t <= 0) return 0;
  if (t >= 1) return 1;
  switch (shape) {
    case "equal-power":
      return Math.sin((Math.PI / 2) * t);
    case "smooth":
      return (1 - Math.cos(Math.PI * t)) / 2;
    case "exponential":
      return Math.expm1(3 * Math.LN10 * t) / 999;
    default:
      return t;
  }
}

/** The gain of the clip that comes in a crossing, t from 0 to 1; the one that goes has that of 1 − t. */
export function crossGain(law: Schema["Crossing"]["law"], t: number): number {
  return shapeGain(law === "equal-power" ? "equal-power" : "linear", t);
}

/** The gain of both fades of a clip at a frame counted from its start. */
export function fadeGain(clip: Clip, own: number): number {
  const { fadeIn, fadeOut, length } = clip;
  const rise = fadeIn.length ? shapeGain(fadeIn.shape, (own + (fadeIn.past ?? 0)) / fadeIn.length) : 1;
  const fall = fadeOut.length ? shapeGain(fadeOut.shape, (length - own + (fadeOut.past ?? 0)) / fadeOut.length) : 1;
  return rise * fall;
}

/** The lowest level that has a place of its own in a clip; from there it is a short way down to silence. */
const LOWEST = -48;
const FOOT = 0.08;

/** Where a level stands in a clip's body: 0 at the top (+12 dB), 1 at the bottom (silence). */
export function placeOf(db: number): number {
  if (db >= LOWEST) return ((LOUDEST - db) / (LOUDEST - LOWEST)) * (1 - FOOT);
  return 1 - (FOOT * (heightOf(db) - SILENCE)) / (LOWEST - SILENCE);
}

/** The level at a place in a clip's body. */
export function levelOfPlace(place: number): number {
  if (place >= 1) return SILENCE;
  if (place <= 1 - FOOT) return Math.min(LOUDEST, LOUDEST - (place / (1 - FOOT)) * (LOUDEST - LOWEST));
  return levelOfHeight(SILENCE + ((1 - place) / FOOT) * (LOWEST - SILENCE));
}

/** The level at which the line bends on screen, for drawing it. */
export const BEND = LOWEST;
