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

/** Draws a clip's body: the untouched recording as a ghost, over it what will be heard, and the shade of its fades. */
export function drawClip(canvas: HTMLCanvasElement, p: ClipPicture): void {
  const g = prepare(canvas, p.width, p.height);
  const { clip, track } = p;
  const middle = p.height / 2;
  const read = reader(clip.sound, p.scale);
  const columns: { low: number; high: number; gain: number }[] = [];
  const fixed = gainOf(clip.gain) * gainOf(track.fader);
  for (let x = 0; x < p.width; x++) {
    const own = p.from + x * p.scale;
    const to = Math.min(own + p.scale, clip.length);
    if (own + p.scale < 0 || own > clip.length) {
      columns.push({ low: 0, high: 0, gain: 0 });
      continue;
    }
    const at = Math.max(0, Math.min(clip.length - 1, own + p.scale / 2));
    const [low, high] = read(Math.max(0, own) + clip.offset, to + clip.offset);
    const line = gainOf(levelAt(clip.envelope, at + clip.offset)) * gainOf(levelAt(track.envelope, at + clip.start));
    columns.push({ low, high, gain: fixed * line * fadeGain(clip, at) });
  }
  wave(g, columns, middle, token(`${track.part}-tint`), () => 1);
  wave(g, columns, middle, token(track.part), (gain) => gain);
  shade(g, p);
}

function wave(
  g: CanvasRenderingContext2D,
  columns: { low: number; high: number; gain: number }[],
  middle: number,
  colour: string,
  gainOfColumn: (gain: number) => number,
): void {
  g.fillStyle = colour;
  columns.forEach(({ low, high, gain }, x) => {
    const k = gainOfColumn(gain) * middle;
    const top = Math.min(middle, high * k);
    const bottom = Math.min(middle, -low * k);
    if (top + bottom > 0.05) g.fillRect(x, middle - top, 1, Math.max(0.8, top + bottom));
  });
}

/** Covers the corners that the fades take away. */
function shade(g: CanvasRenderingContext2D, p: ClipPicture): void {
  const { clip } = p;
  g.fillStyle = token("veil");
  const faded = (own: number) => own < clip.fadeIn.length || own > clip.length - clip.fadeOut.length;
  for (let x = 0; x < p.width; x++) {
    const own = p.from + (x + 0.5) * p.scale;
    if (own < 0 || own > clip.length || !faded(own)) continue;
    g.fillRect(x, 0, 1, p.height * (1 - fadeGain(clip, own)));
  }
}
