import type { Schema } from "../api/client";
import { gainOf } from "../model/units";
import { fadeGain, levelAt } from "./level";
import { reader } from "./peaks";
import { prepare, token } from "./tokens";

interface ClipPicture {
  clip: Schema["Clip"];
  track: Schema["Track"];
  /** Frames from the clip's start to the left edge of the picture. */
  from: number;
  scale: number;
  width: number;
  height: number;
}

interface Columns {
  low: Float32Array;
  high: Float32Array;
  gain: Float32Array;
}

/** Fewer frames than this on a pixel, and the wave is drawn as a line from frame to frame. */
const AS_LINE = 1;

/** Draws a clip's body: the untouched recording as a ghost, over it what will be heard, and the shade of its fades. */
export function drawClip(canvas: HTMLCanvasElement, p: ClipPicture): void {
  const g = prepare(canvas, p.width, p.height);
  const columns = p.scale < AS_LINE ? undefined : read(p);
  if (columns) {
    bars(g, columns, p.height / 2, token(`${p.track.part}-tint`), false);
    bars(g, columns, p.height / 2, token(p.track.part), true);
  } else {
    line(g, p, token(`${p.track.part}-tint`), false);
    line(g, p, token(p.track.part), true);
  }
  shade(g, p);
}

/** The gain at a frame of the clip, all that acts on it multiplied, without Vue or repeated work. */
function gainAlong({ clip, track }: ClipPicture): (own: number) => number {
  const fixed = clip.silent ? 0 : gainOf(clip.gain) * gainOf(track.fader);
  const faded = clip.fadeIn.length > 0 || clip.fadeOut.length > 0;
  const [own, over] = [clip.envelope, track.envelope];
  return (at) => {
    let gain = fixed;
    if (own.length > 0) gain *= gainOf(levelAt(own, at + clip.offset));
    if (over.length > 0) gain *= gainOf(levelAt(over, at + clip.start));
    return faded ? gain * fadeGain(clip, at) : gain;
  };
}

function read(p: ClipPicture): Columns {
  const n = Math.ceil(p.width);
  const out = { low: new Float32Array(n), high: new Float32Array(n), gain: new Float32Array(n) };
  const peaks = reader(p.clip.sound, p.scale);
  const gain = gainAlong(p);
  for (let x = 0; x < n; x++) {
    const own = p.from + x * p.scale;
    if (own + p.scale < 0 || own > p.clip.length) continue;
    const to = Math.min(own + p.scale, p.clip.length);
    const [low, high] = peaks(Math.max(0, own) + p.clip.offset, to + p.clip.offset);
    out.low[x] = low;
    out.high[x] = high;
    out.gain[x] = gain(Math.max(0, Math.min(p.clip.length - 1, own + p.scale / 2)));
  }
  return out;
}

function bars(g: CanvasRenderingContext2D, c: Columns, middle: number, colour: string, heard: boolean): void {
  g.fillStyle = colour;
  g.beginPath();
  for (let x = 0; x < c.low.length; x++) {
    const k = (heard ? c.gain[x]! : 1) * middle;
    const top = Math.min(middle, c.high[x]! * k);
    const bottom = Math.min(middle, -c.low[x]! * k);
    if (top + bottom > 0.05) g.rect(x, middle - top, 1, Math.max(0.8, top + bottom));
  }
  g.fill();
}

/** Single frames: a line through them, and a dot on each where there is room. */
function line(g: CanvasRenderingContext2D, p: ClipPicture, colour: string, heard: boolean): void {
  const middle = p.height / 2;
  const frames = reader(p.clip.sound, p.scale);
  const gain = gainAlong(p);
  const first = Math.max(0, Math.floor(p.from) - 1);
  const last = Math.min(p.clip.length - 1, Math.ceil(p.from + p.width * p.scale) + 1);
  const dots = p.scale < 1 / 6;
  g.strokeStyle = g.fillStyle = colour;
  g.lineWidth = 1.2;
  g.beginPath();
  for (let own = first; own <= last; own++) {
    const [low, high] = frames(own + p.clip.offset, own + p.clip.offset + 1);
    const v = (Math.abs(low) > Math.abs(high) ? low : high) * (heard ? gain(own) : 1);
    const [x, y] = [(own - p.from) / p.scale, middle - Math.max(-1, Math.min(1, v)) * middle];
    if (own === first) g.moveTo(x, y);
    else g.lineTo(x, y);
    if (dots && heard) g.fillRect(x - 2, y - 2, 4, 4);
  }
  g.stroke();
}

/** Covers the corners that the fades take away. */
function shade(g: CanvasRenderingContext2D, p: ClipPicture): void {
  const { clip } = p;
  if (clip.fadeIn.length === 0 && clip.fadeOut.length === 0) return;
  g.fillStyle = token("veil");
  const faded = (own: number) => own < clip.fadeIn.length || own > clip.length - clip.fadeOut.length;
  for (let x = 0; x < p.width; x++) {
    const own = p.from + (x + 0.5) * p.scale;
    if (own < 0 || own > clip.length || !faded(own)) continue;
    g.fillRect(x, 0, 1, p.height * (1 - fadeGain(clip, own)));
  }
}
