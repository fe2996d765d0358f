import type { Schema } from "../api/client";
import { gainOf } from "../model/units";
import { courseReader, type Course } from "./courses";
import { crossGain, fadeGain, hushGain, levelAt, placeOf } from "./level";
import { outlines, trackLine } from "./outline";
import { reader } from "./peaks";
import { BORDER, HEAD, type LanePicture } from "./picture";
import { isTreated, reductionDrawer } from "./reduction";
import { over, pixel, size, token } from "./tokens";
import { wayCorners, wayReader } from "./way";

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
  /** What is done to a stretch of the session, if the track is treated; and in each of the columns, once the body is drawn. */
  course: ReturnType<typeof courseReader> | undefined;
  courses: (Course | undefined)[];
  /** To what level, in dB, the track has gone down for speech at a session frame, if it makes way. */
  way: ((at: number) => number) | undefined;
}

/** Fewer frames than this on a pixel, and the wave is drawn as a line from frame to frame. */
const AS_LINE = 1;
const RADIUS = 5;
/** Pixels by which a clip hangs over its edges. */
const HANGS = 8;

/**
 * Draws the clips of a lane: their bodies, and over them their heads, level lines, grips and outlines. A part can be drawn
 * alone, from one column to another in CSS pixels; the rest stays as it is, or is empty if it shows something else.
 */
export function drawLane(
  canvas: HTMLCanvasElement,
  whole: LanePicture,
  part?: { from: number; to: number },
  alone = false,
): void {
  const ratio = window.devicePixelRatio || 1;
  size(canvas, whole.width, whole.height);
  const left = part?.from ?? 0;
  const p = part ? partOf(whole, left, part.to) : whole;
  const g = canvas.getContext("2d", { willReadFrequently: true })!;
  g.setTransform(1, 0, 0, 1, 0, 0);
  const columns = { left: Math.round(left * ratio), width: Math.round(p.width * ratio) };
  if (alone) g.clearRect(0, 0, canvas.width, canvas.height);
  else g.clearRect(columns.left, 0, columns.width, canvas.height);
  g.save();
  g.beginPath();
  g.rect(columns.left, 0, columns.width, canvas.height);
  g.clip();
  if (!p.folded) bodies(g, p, ratio, columns);
  g.setTransform(ratio, 0, 0, ratio, columns.left, 0);
  for (const { clip } of p.clips) outlines(g, clip, p);
  if (p.lines.track && !p.folded) trackLine(g, p);
  g.restore();
}

/** A picture from one column to another, with the clips alone that reach into it. */
function partOf(whole: LanePicture, left: number, right: number): LanePicture {
  const from = whole.from + left * whole.scale;
  const [low, high] = [from - HANGS * whole.scale, from + (right - left + HANGS) * whole.scale];
  const clips = whole.clips.filter(({ clip }) => clip.start < high && clip.start + clip.length > low);
  return { ...whole, clips, from, width: right - left };
}

/**
 * Draws the bodies of clips: the untouched recording as a ghost, over it what will be heard, and the shade of fades.
 * It is done pixel by pixel: paths of a thousand bars would take far longer.
 */
function bodies(
  g: CanvasRenderingContext2D,
  p: LanePicture,
  ratio: number,
  { left, width }: { left: number; width: number },
): void {
  const top = Math.round((HEAD + BORDER) * ratio);
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
  const course = isTreated(p.track.treatment) ? courseReader(p.track.id, scale) : undefined;
  const corners = p.way ? wayCorners(p.way, p.from, p.from + p.width * p.scale) : [];
  const drawn = new Set<string>();
  const parts = p.clips.map(({ id, clip }) => {
    const comes = p.crossings.find((x) => x.in === id);
    const goes = p.crossings.find((x) => x.out === id);
    const shared = comes && drawn.has(comes.out) ? comes : goes && drawn.has(goes.in) ? goes : undefined;
    drawn.add(id);
    const way = corners.length > 0 ? wayReader(corners) : undefined;
    return { clip, comes, goes, shared, course, courses: [], way, ...place(clip) };
  });
  for (const part of parts) {
    body(pixels, part, scale >= AS_LINE);
    madeWay(pixels, part, ratio);
    shade(pixels, part);
    hatch(pixels, part);
    underline(pixels, part, p.spoken, ratio);
    if (p.taken && !part.clip.silent) taken(pixels, part, ratio);
  }
  g.putImageData(picture, left, top);
  g.translate(left, top);
  if (scale < AS_LINE) for (const part of parts) lines(g, part, height);
}

/** The gain at a frame of the clip, all that acts on it multiplied, without Vue or repeated work. */
function gainAlong({ clip, track, comes, goes, way }: Part): (own: number) => number {
  const fixed = clip.silent ? 0 : gainOf(clip.gain) * gainOf(track.fader);
  const faded = clip.fadeIn.length > 0 || clip.fadeOut.length > 0;
  const [own, above] = [clip.envelope, track.envelope];
  const hushed = clip.hushed ?? [];
  return (at) => {
    let gain = fixed;
    const n = at + clip.start;
    if (own.length > 0) gain *= gainOf(levelAt(own, at + clip.offset));
    if (above.length > 0) gain *= gainOf(levelAt(above, n));
    if (way) gain *= gainOf(way(n));
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

/** A stretch of a column's pixels for each column of a clip: from these rows down to those, and none where both are 0. */
class Stretches {
  readonly from: Uint16Array;
  readonly to: Uint16Array;

  constructor(columns: number) {
    this.from = new Uint16Array(columns);
    this.to = new Uint16Array(columns);
  }

  /** Takes in the bar from a lowest to a highest sample, in a body of a height that is cut off at the bottom. */
  bar(column: number, low: number, high: number, height: number, bottom: number): void {
    const middle = height / 2;
    const up = Math.min(middle, high * middle);
    const down = Math.min(middle, -low * middle);
    if (up + down <= 0.05) return;
    const first = Math.max(0, Math.floor(middle - up));
    this.from[column] = first;
    this.to[column] = Math.min(bottom, Math.max(first + 1, Math.round(middle + down)));
  }
}

/** Draws the ground of a clip and on it, unless single frames are to be seen, the bars of its wave. */
function body(to: Pixels, p: Part, bars: boolean): void {
  const columns = Math.max(0, p.last - p.first);
  const grounds = new Stretches(columns);
  const ghosts = new Stretches(columns);
  const inks = new Stretches(columns);
  const peaks = reader(p.clip.sound, p.scale);
  const gain = gainAlong(p);
  for (let i = 0; i < columns; i++) {
    const x = p.first + i;
    const bottom = depth(p, x, to.height);
    const shared = isShared(p, x);
    if (!shared) grounds.to[i] = bottom;
    const own = p.lead + x * p.scale;
    const end = Math.min(own + p.scale, p.clip.length);
    const at = p.clip.start + Math.max(0, own);
    p.courses[i] = p.course?.(at, Math.max(at + 1, p.clip.start + end));
    if (!bars) continue;
    const [low, high] = peaks(Math.max(0, own) + p.clip.offset, end + p.clip.offset);
    if (low === 0 && high === 0) continue;
    if (!shared) ghosts.bar(i, low, high, to.height, bottom);
    const change = p.courses[i]?.change ?? 0;
    const k = gain(Math.max(0, Math.min(p.clip.length - 1, own + p.scale / 2))) * gainOf(change);
    if (k > 0) inks.bar(i, low * k, high * k, to.height, bottom);
  }
  fill(to, p, grounds, ghosts, inks);
}

/** Puts the colours in, row by row as they lie in memory. */
function fill(to: Pixels, p: Part, grounds: Stretches, ghosts: Stretches, inks: Stretches): void {
  const [ground, ghost, ink] = [pixel(`${p.track.part}-wash`), pixel(`${p.track.part}-tint`), pixel(p.track.part)];
  const [of, width, columns] = [to.of, to.width, grounds.to.length];
  const [below, ghostFrom, ghostTo, inkFrom, inkTo] = [grounds.to, ghosts.from, ghosts.to, inks.from, inks.to];
  for (let y = 0; y < to.height; y++) {
    const row = y * width + p.first;
    for (let i = 0; i < columns; i++) {
      if (y >= inkFrom[i]! && y < inkTo[i]!) of[row + i] = ink;
      else if (y >= ghostFrom[i]! && y < ghostTo[i]!) of[row + i] = ghost;
      else if (y < below[i]!) of[row + i] = ground;
    }
  }
}

/** Single frames: a line through them, and a dot on each where there is room. */
function lines(g: CanvasRenderingContext2D, p: Part, height: number): void {
  const middle = height / 2;
  const frames = reader(p.clip.sound, p.scale);
  const untreated = gainAlong(p);
  const gain = (own: number) => {
    const at = p.clip.start + own;
    return untreated(own) * gainOf(p.course?.(at, at + 1)?.change ?? 0);
  };
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

/** Draws what the treatment takes away along a clip. */
function taken(to: Pixels, p: Part, ratio: number): void {
  const draw = reductionDrawer(to, p.track.treatment, ratio);
  p.courses.forEach((course, i) => course && draw(p.first + i, depth(p, p.first + i, to.height), course));
}

/** Pixels, in CSS, from one stroke of the hatching to the next. */
const STROKES = 6;

/**
 * Hatches, in the colour of the voice, the level that speech has taken: from the level line of the clip down to the level
 * that is left, which is its edge.
 */
function madeWay(to: Pixels, p: Part, ratio: number): void {
  if (!p.way) return;
  const [stroke, ground, ghost] = [pixel("voice"), pixel(`${p.track.part}-wash`), pixel(`${p.track.part}-tint`)];
  const every = Math.round(STROKES * ratio);
  const stroked = Math.max(1, Math.round(1.6 * ratio));
  const edge = Math.max(1, Math.round(1.5 * ratio));
  const line = p.clip.envelope;
  const read = p.way;
  let last: number | undefined;
  for (let x = p.first; x < p.last; x++) {
    const own = Math.max(0, Math.min(p.clip.length - 1, p.lead + (x + 0.5) * p.scale));
    const down = read(own + p.clip.start);
    if (down > -0.05) {
      last = undefined;
      continue;
    }
    const level = line.length > 0 ? levelAt(line, own + p.clip.offset) : 0;
    const top = Math.round(placeOf(level) * to.height);
    const bottom = Math.min(depth(p, x, to.height), Math.round(placeOf(level + down) * to.height));
    for (let y = top; y < bottom; y++) {
      const at = y * to.width + x;
      if ((x + y) % every < stroked && (to.of[at] === ground || to.of[at] === ghost)) to.of[at] = stroke;
    }
    // The edge is one line, also where it is steep.
    const [from, end] = [Math.min(bottom, last ?? bottom), Math.max(bottom, last ?? bottom) + edge];
    for (let y = Math.max(0, from); y < Math.min(end, depth(p, x, to.height)); y++) to.of[y * to.width + x] = stroke;
    last = bottom;
  }
}

/** Rules a thin line under what is spoken, at the bottom of a clip. */
function underline(to: Pixels, p: Part, spoken: LanePicture["spoken"], ratio: number): void {
  const colour = pixel("ink");
  const rows = Math.max(1, Math.round(1.5 * ratio));
  const inset = Math.round(3 * ratio);
  const [begin, end] = [p.clip.start + p.lead + p.first * p.scale, p.clip.start + p.lead + p.last * p.scale];
  for (const s of spoken) {
    if (s.to <= begin || s.from >= end) continue;
    const from = Math.max(p.first, Math.round((s.from - p.clip.start - p.lead) / p.scale));
    const till = Math.min(p.last, Math.max(from + 1, Math.round((s.to - p.clip.start - p.lead) / p.scale) - 1));
    for (let x = from; x < till; x++) {
      for (let y = to.height - inset - rows; y < Math.min(to.height - inset, depth(p, x, to.height)); y++) {
        to.of[y * to.width + x] = colour;
      }
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
