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
      const u = (at - a.at) / (b.at - a.at);
      return levelOfHeight(x + (y - x) * (u + (a.bend ?? 0) * (u * u - u)));
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

/** Frames in which the sound goes away, and comes back, inside a silenced stretch. */
const HUSH_EDGE = 240;

/** The gain that silenced stretches leave at a frame of the sound. */
export function hushGain(spans: Schema["Span"][] | undefined, at: number): number {
  const s = spans?.find((span) => at >= span.from && at < span.to);
  if (!s) return 1;
  const edge = Math.min(HUSH_EDGE, Math.floor((s.to - s.from) / 2));
  return Math.max(0, 1 - (Math.min(at - s.from, s.to - 1 - at) + 1) / (edge + 1));
}

/** What acts on a clip at a moment, each in dB, and all together. */
export interface LevelHere {
  clipGain: number;
  clipLine: number;
  fade: number;
  hush: number;
  crossing: number;
  trackLine: number;
  /** For speech. */
  way: number;
  fader: number;
  gate: number;
  expander: number;
  /** With what it makes up. */
  compressor: number;
  limiter: number;
  total: number;
  /** The moment lies in the clip; otherwise its nearest frame is meant. */
  inside: boolean;
}

/** What a track's treatment does at a moment, in dB. */
export type Treated = Pick<LevelHere, "gate" | "expander" | "compressor" | "limiter">;
const UNTREATED: Treated = { gate: 0, expander: 0, compressor: 0, limiter: 0 };

/** Adds up what acts on a clip of a track at a session time; crossings are those of the track. */
export function levelHere(
  track: Schema["Track"],
  id: string,
  crossings: Schema["Crossing"][],
  at: number,
  audible: boolean,
  treated = UNTREATED,
  way = 0,
): LevelHere {
  const clip = track.clips[id]!;
  const n = Math.min(Math.max(Math.round(at), clip.start), clip.start + clip.length - 1);
  const own = n - clip.start;
  let across = 1;
  for (const x of crossings) {
    if (n < x.from || n >= x.to) continue;
    if (x.in === id) across *= crossGain(x.law, (n - x.from) / (x.to - x.from));
    if (x.out === id) across *= crossGain(x.law, (x.to - n) / (x.to - x.from));
  }
  const parts = {
    clipGain: clip.silent ? SILENCE : clip.gain,
    clipLine: levelAt(clip.envelope, own + clip.offset),
    fade: levelOf(fadeGain(clip, own)),
    hush: levelOf(hushGain(clip.hushed, own + clip.offset)),
    crossing: levelOf(across),
    trackLine: levelAt(track.envelope, n),
    way,
    fader: track.fader,
    gate: treated.gate,
    expander: treated.expander,
    compressor: treated.compressor,
    limiter: treated.limiter,
  };
  const all = Object.values(parts);
  const silent = !audible || all.some((v) => v <= SILENCE);
  const total = silent
    ? SILENCE
    : Math.max(
        SILENCE,
        all.reduce((a, b) => a + b, 0),
      );
  return { ...parts, total, inside: n === Math.round(at) };
}

function levelOf(gain: number): number {
  return gain > 1e-6 ? 20 * Math.log10(gain) : SILENCE;
}

/** What a compressor at rest does to a steady level, in dB; the formula is that of core/treat. */
export function compressed(s: { threshold: number; ratio: number; knee: number }, level: number): number {
  const over = level - s.threshold;
  const slope = 1 / s.ratio - 1;
  if (2 * over <= -s.knee) return 0;
  if (2 * over < s.knee) return (slope * (over + s.knee / 2) ** 2) / (2 * s.knee);
  return slope * over;
}

/** By how much a compressor makes all louder afterwards, in dB. */
export function makeUpOf(s: {
  threshold: number;
  ratio: number;
  knee: number;
  makeUp: number;
  auto?: boolean;
  speech?: number;
}): number {
  return s.auto ? -compressed(s, s.speech ?? 0) : s.makeUp;
}

/** What an expander at rest does to a steady level, in dB. */
export function expanded(s: { threshold: number; ratio: number; range: number }, level: number): number {
  return Math.max(-s.range, Math.min(0, (level - s.threshold) * (s.ratio - 1)));
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
