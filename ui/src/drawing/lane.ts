import type { Schema } from "../api/client";
import { gainOf } from "../model/units";
import { crossGain, fadeGain, hushGain, levelAt } from "./level";
import { outlines, trackLine } from "./outline";
import { reader } from "./peaks";
import { BORDER, HEAD, type LanePicture } from "./picture";
import { over, pixel, size, token } from "./tokens";

/** A picture as its pixels. */
interface Pixels {
  of: Uint32Array;
  width: number;
  height: number;
}

/** A clip in a picture, in pixels of the screen. */
interface Part {
  clip: Schema["Clip"];
  track: Schema["Track"];
  /** Frames from the clip's start to the picture's left edge. */
  lead: number;
  scale: number;
  /** The columns that it covers. */
  first: number;
  last: number;
  /** Of its lower corners. */
  radius: number;
  /** Where it comes after another clip, or goes before one. */
  comes: Schema["Crossing"] | undefined;
  goes: Schema["Crossing"] | undefined;
  /** That of these two in which the other clip has been drawn already: its wave is left to be seen. */
  shared: Schema["Crossing"] | undefined;
}

/** Fewer frames than this on a pixel, and the wave is drawn as a line from frame to frame. */
const AS_LINE = 1;
const RADIUS = 5;

/** Draws the clips of a lane: their bodies, and over them their heads, level lines, grips and outlines. */
export function drawLane(canvas: HTMLCanvasElement, p: LanePicture): void {
  const ratio = window.devicePixelRatio || 1;
  size(canvas, p.width, p.height);
  const g = canvas.getContext("2d", { willReadFrequently: true })!;
  g.setTransform(1, 0, 0, 1, 0, 0);
  if (p.folded) g.clearRect(0, 0, canvas.width, canvas.height);
  else bodies(g, p, ratio);
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  for (const { clip } of p.clips) outlines(g, clip, p);
  if (p.lines.track && !p.folded) trackLine(g, p);
}

/**
 * Draws the bodies of clips: the untouched recording as a ghost, over it what will be heard, and the shade of fades.
 * It is done pixel by pixel: paths of a thousand bars would take far longer.
 */
function bodies(g: CanvasRenderingContext2D, p: LanePicture, ratio: number): void {
  const top = Math.round((HEAD + BORDER) * ratio);
  const width = g.canvas.width;
  const height = Math.max(1, g.canvas.height - top - Math.round(BORDER * ratio));
  const picture = g.createImageData(width, height);
  const pixels = { of: new Uint32Array(picture.data.buffer), width, height };
  const scale = p.scale / ratio;
  const place = (clip: Schema["Clip"]) => ({
    track: p.track,
    lead: p.from - clip.start,
    scale,
    first: Math.max(0, Math.round((clip.start - p.from) / scale)),
    last: Math.min(width, Math.round((clip.start + clip.length - p.from) / scale)),
    radius: RADIUS * ratio,
  });
  const drawn = new Set<string>();
  const parts = p.clips.map(({ id, clip }) => {
    const comes = p.crossings.find((x) => x.in === id);
    const goes = p.crossings.find((x) => x.out === id);
    const shared = comes && drawn.has(comes.out) ? comes : goes && drawn.has(goes.in) ? goes : undefined;
    drawn.add(id);
    return { clip, comes, goes, shared, ...place(clip) };
  });
  for (const part of parts) {
    ground(pixels, part);
    if (scale >= AS_LINE) bars(pixels, part);
    shade(pixels, part);
    hatch(pixels, part);
  }
  g.clearRect(0, 0, width, g.canvas.height);
  g.putImageData(picture, 0, top);
  g.translate(0, top);
  if (scale < AS_LINE) for (const part of parts) lines(g, part, height);
}

/** The gain at a frame of the clip, all that acts on it multiplied, without Vue or repeated work. */
function gainAlong({ clip, track, comes, goes }: Part): (own: number) => number {
  const fixed = clip.silent ? 0 : gainOf(clip.gain) * gainOf(track.fader);
  const faded = clip.fadeIn.length > 0 || clip.fadeOut.length > 0;
  const [own, above] = [clip.envelope, track.envelope];
  const hushed = clip.hushed ?? [];
  return (at) => {
    let gain = fixed;
    const n = at + clip.start;
    if (own.length > 0) gain *= gainOf(levelAt(own, at + clip.offset));
    if (above.length > 0) gain *= gainOf(levelAt(above, n));
    if (faded) gain *= fadeGain(clip, at);
    if (hushed.length > 0) gain *= hushGain(hushed, at + clip.offset);
    if (comes && n < comes.to) gain *= crossGain(comes.law, (n - comes.from) / (comes.to - comes.from));
    if (goes && n >= goes.from) gain *= crossGain(goes.law, (goes.to - n) / (goes.to - goes.from));
    return gain;
  };
}

/** Whether a column lies in a crossing in which another clip's wave is to be seen, too. */
function isShared(p: Part, x: number): boolean {
  if (!p.shared) return false;
  const n = p.lead + (x + 0.5) * p.scale + p.clip.start;
  return n >= p.shared.from && n < p.shared.to;
}

/** How far down a column of a clip goes: its lower corners are round. */
function depth(p: Part, x: number, height: number): number {
  const from = x + p.lead / p.scale;
  const edge = Math.min(from + 0.5, p.clip.length / p.scale - from - 0.5);
  if (edge >= p.radius) return height;
  const in_ = p.radius - Math.max(0, edge);
  return Math.round(height - p.radius + Math.sqrt(Math.max(0, p.radius * p.radius - in_ * in_)));
}

function ground(to: Pixels, p: Part): void {
  const colour = pixel(`${p.track.part}-wash`);
  for (let x = p.first; x < p.last; x++) {
    if (isShared(p, x)) continue;
    const bottom = depth(p, x, to.height);
    for (let y = 0; y < bottom; y++) to.of[y * to.width + x] = colour;
  }
}

function bars(to: Pixels, p: Part): void {
  const [ghost, ink] = [pixel(`${p.track.part}-tint`), pixel(p.track.part)];
  const peaks = reader(p.clip.sound, p.scale);
  const gain = gainAlong(p);
  const middle = to.height / 2;
  const bar = (x: number, low: number, high: number, k: number, colour: number, bottom: number): void => {
    const up = Math.min(middle, high * k * middle);
    const down = Math.min(middle, -low * k * middle);
    if (up + down <= 0.05) return;
    const first = Math.max(0, Math.floor(middle - up));
    const last = Math.min(bottom, Math.max(first + 1, Math.round(middle + down)));
    for (let y = first; y < last; y++) to.of[y * to.width + x] = colour;
  };
  for (let x = p.first; x < p.last; x++) {
    const own = p.lead + x * p.scale;
    const end = Math.min(own + p.scale, p.clip.length);
    const [low, high] = peaks(Math.max(0, own) + p.clip.offset, end + p.clip.offset);
    if (low === 0 && high === 0) continue;
    const bottom = depth(p, x, to.height);
    if (!isShared(p, x)) bar(x, low, high, 1, ghost, bottom);
    const k = gain(Math.max(0, Math.min(p.clip.length - 1, own + p.scale / 2)));
    if (k > 0) bar(x, low, high, k, ink, bottom);
  }
}

/** Single frames: a line through them, and a dot on each where there is room. */
function lines(g: CanvasRenderingContext2D, p: Part, height: number): void {
  const middle = height / 2;
  const frames = reader(p.clip.sound, p.scale);
  const gain = gainAlong(p);
  const first = Math.max(0, Math.floor(p.lead + p.first * p.scale) - 1);
  const last = Math.min(p.clip.length - 1, Math.ceil(p.lead + p.last * p.scale) + 1);
  const dots = p.scale < 1 / 6;
  for (const heard of [false, true]) {
    g.strokeStyle = g.fillStyle = token(heard ? p.track.part : `${p.track.part}-tint`);
    g.lineWidth = 1.2;
    // The lower and the higher of both channels; of one channel they are the same line.
    for (const side of [0, 1]) {
      g.beginPath();
      for (let own = first; own <= last; own++) {
        const v = frames(own + p.clip.offset, own + p.clip.offset + 1)[side]! * (heard ? gain(own) : 1);
        const [x, y] = [(own - p.lead) / p.scale, middle - Math.max(-1, Math.min(1, v)) * middle];
        if (own === first) g.moveTo(x, y);
        else g.lineTo(x, y);
        if (dots && heard) g.fillRect(x - 2, y - 2, 4, 4);
      }
      g.stroke();
    }
  }
}

/** Hatches the stretches that are silenced, so that they can be told from pauses. */
function hatch(to: Pixels, p: Part): void {
  const colour = pixel("ink-soft");
  for (const s of p.clip.hushed ?? []) {
    const from = Math.round((s.from - p.clip.offset - p.lead) / p.scale);
    const end = Math.round((s.to - p.clip.offset - p.lead) / p.scale);
    for (let x = Math.max(p.first, from); x < Math.min(p.last, end); x++) {
      const edge = x === from || x === end - 1;
      const bottom = depth(p, x, to.height);
      for (let y = 0; y < bottom; y++) if (edge || (x + y) % 7 === 0) to.of[y * to.width + x] = colour;
    }
  }
}

/** Covers the corners that the fades take away. */
function shade(to: Pixels, p: Part): void {
  const { clip } = p;
  if (clip.fadeIn.length === 0 && clip.fadeOut.length === 0) return;
  const veil = pixel("veil");
  const faded = (own: number) => own < clip.fadeIn.length || own > clip.length - clip.fadeOut.length;
  for (let x = p.first; x < p.last; x++) {
    const own = p.lead + (x + 0.5) * p.scale;
    if (own < 0 || own > clip.length || !faded(own)) continue;
    const bottom = Math.min(depth(p, x, to.height), Math.round(to.height * (1 - fadeGain(clip, own))));
    for (let y = 0; y < bottom; y++) to.of[y * to.width + x] = over(veil, to.of[y * to.width + x]!);
  }
}
