import type { Schema } from "../api/client";
import { placeOf } from "./level";
import { strokesOf } from "./line";
import { BORDER, HEAD, type LanePicture } from "./picture";
import { token } from "./tokens";

type Clip = Schema["Clip"];

/** The box of a clip in a picture, in CSS pixels; the height is that of its body. */
interface Box {
  left: number;
  right: number;
  top: number;
  height: number;
}

const RADIUS = 6;
const NARROW_RADIUS = 2;
/** Narrower clips show less and less. */
const NARROW = 12;
const FOR_LINE = 26;
const FOR_NAME = 30;
const FOR_GRIPS = 40;
const MARGIN = 7;
const POINT = 9;
const GRIP = 12;

/** Draws what lies over the body of a clip. The elements that can be pressed lie over it, and are not seen. */
export function outlines(g: CanvasRenderingContext2D, clip: Clip, p: LanePicture): void {
  const left = (clip.start - p.from) / p.scale;
  const right = Math.max(left + 2, (clip.start + clip.length - p.from) / p.scale);
  if (right < -RADIUS || left > p.width + RADIUS) return;
  const box = { left, right, top: HEAD + BORDER, height: p.height - HEAD - 2 * BORDER };
  g.save();
  g.beginPath();
  g.roundRect(left, 0, right - left, p.height, right - left < NARROW ? NARROW_RADIUS : RADIUS);
  g.clip();
  head(g, clip, p, box);
  if (!p.folded) {
    if (p.lines.clips && right - left > FOR_LINE) clipLine(g, clip, p, box);
    if (right - left > FOR_GRIPS) grips(g, clip, p, box);
  }
  g.restore();
  g.strokeStyle = token(p.track.part);
  g.lineWidth = BORDER;
  g.beginPath();
  g.roundRect(left + 0.5, 0.5, right - left - 1, p.height - 1, right - left < NARROW ? NARROW_RADIUS : RADIUS);
  g.stroke();
}

/** What is written in the head of a clip. */
export function nameOn(clip: Clip): string {
  return clip.silent ? `silenced · ${clip.name}` : clip.name;
}

function head(g: CanvasRenderingContext2D, clip: Clip, p: LanePicture, { left, right }: Box): void {
  g.fillStyle = token(clip.silent ? "ink-soft" : p.track.part);
  g.fillRect(left, 0, right - left, p.folded ? p.height : HEAD + BORDER);
  const room = right - left - 2 * MARGIN;
  if (right - left <= FOR_NAME || right < 0) return;
  g.fillStyle = token("ink-inverse");
  g.font = `700 12px ${token("text")}`;
  g.textBaseline = "middle";
  g.fillText(fitted(g, nameOn(clip), room), left + MARGIN, BORDER + HEAD / 2 + 0.5);
}

/** A text cut off to the room there is. */
function fitted(g: CanvasRenderingContext2D, text: string, room: number): string {
  if (g.measureText(text).width <= room) return text;
  let [fits, not] = [0, text.length];
  while (not - fits > 1) {
    const half = (fits + not) >> 1;
    if (g.measureText(text.slice(0, half) + "…").width <= room) fits = half;
    else not = half;
  }
  return fits > 0 ? text.slice(0, fits).trimEnd() + "…" : "";
}

function clipLine(g: CanvasRenderingContext2D, clip: Clip, p: LanePicture, box: Box): void {
  const inside = clip.envelope.filter((q) => q.at >= clip.offset && q.at <= clip.offset + clip.length);
  line(g, clip.envelope, inside, clip.start - clip.offset, p, box);
}

/** Draws the level line of the track over all its clips, with dashes, so that it is not taken for one of theirs. */
export function trackLine(g: CanvasRenderingContext2D, p: LanePicture): void {
  g.save();
  g.setLineDash([7, 4]);
  const box = { left: 0, right: p.width, top: HEAD + BORDER, height: p.height - HEAD - 2 * BORDER };
  line(g, p.track.envelope, p.track.envelope, 0, p, box);
  g.restore();
}

/** Draws a level line within a box, and those of its points that are to be seen. Its times are counted from a session time. */
function line(
  g: CanvasRenderingContext2D,
  points: Schema["Point"][],
  shown: Schema["Point"][],
  zero: number,
  p: LanePicture,
  box: Box,
): void {
  const from = Math.max(0, box.left);
  const first = p.from + from * p.scale - zero;
  g.beginPath();
  for (const [x, y] of strokesOf(points, first, p.scale, Math.min(p.width, box.right) - from, box.height)) {
    g.lineTo(from + x, box.top + y);
  }
  // An edge of paper parts it from the wave that it crosses.
  const dashes = g.getLineDash();
  g.setLineDash([]);
  g.strokeStyle = token("sheet");
  g.lineWidth = 4.5;
  g.stroke();
  g.setLineDash(dashes);
  g.strokeStyle = token("ink");
  g.lineWidth = 1.5;
  g.stroke();
  g.globalAlpha = 1;
  g.setLineDash([]);
  g.fillStyle = token("sheet");
  for (const point of shown) {
    const x = (zero + point.at - p.from) / p.scale;
    if (x < -POINT || x > p.width + POINT) continue;
    g.beginPath();
    g.roundRect(x - POINT / 2, box.top + placeOfPoint(point.level, box.height), POINT, POINT, 2);
    g.fill();
    g.stroke();
  }
}

/** Where the upper edge of a point's square stands in a body: never outside it. */
export function placeOfPoint(level: number, height: number): number {
  return Math.min(height - POINT, Math.max(0, placeOf(level) * height - POINT / 2));
}

function grips(g: CanvasRenderingContext2D, clip: Clip, p: LanePicture, box: Box): void {
  const [rise, fall] = gripPlaces(clip);
  g.fillStyle = token("ink");
  for (const [own, toward] of [
    [rise, 1],
    [fall, -1],
  ] as const) {
    const x = box.left + own / p.scale;
    g.beginPath();
    g.moveTo(x, box.top);
    g.lineTo(x + toward * GRIP, box.top);
    g.lineTo(x, box.top + GRIP);
    g.fill();
  }
}

/** The frames of a clip at which its fade in ends and its fade out begins. */
export function gripPlaces({ fadeIn, fadeOut, length }: Clip): [number, number] {
  return [Math.max(0, fadeIn.length - (fadeIn.past ?? 0)), length - Math.max(0, fadeOut.length - (fadeOut.past ?? 0))];
}
