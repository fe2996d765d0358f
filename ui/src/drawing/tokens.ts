/** Colours for canvases, read from the style sheet once for each light. */
const known = new Map<string, string>();
let light: string | undefined;

/** In another light they are read again. */
function relit(): void {
  const now = document.documentElement.dataset.light;
  if (now === light) return;
  light = now;
  known.clear();
  pixels.clear();
}

export function token(name: string): string {
  relit();
  let value = known.get(name);
  if (value === undefined) {
    value = getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
    known.set(name, value);
  }
  return value;
}

/** Colours as they stand in the pixels of a picture, red in the lowest byte. */
const pixels = new Map<string, number>();

export function pixel(name: string): number {
  relit();
  let value = pixels.get(name);
  if (value === undefined) {
    const one = document.createElement("canvas").getContext("2d", { willReadFrequently: true })!;
    one.fillStyle = token(name);
    one.fillRect(0, 0, 1, 1);
    value = new Uint32Array(one.getImageData(0, 0, 1, 1).data.buffer)[0]!;
    pixels.set(name, value);
  }
  return value;
}

/** A colour laid over another one (source over, not premultiplied). */
export function over(top: number, under: number): number {
  const a = (top >>> 24) / 255;
  const b = ((under >>> 24) / 255) * (1 - a);
  const alpha = a + b;
  if (alpha === 0) return 0;
  let out = Math.round(alpha * 255) << 24;
  for (const shift of [0, 8, 16]) {
    out |= Math.round((((top >>> shift) & 255) * a + ((under >>> shift) & 255) * b) / alpha) << shift;
  }
  return out >>> 0;
}

/** Gives a canvas the pixels that it needs for a size in CSS pixels on any screen. */
export function size(canvas: HTMLCanvasElement, width: number, height: number): [number, number] {
  const ratio = window.devicePixelRatio || 1;
  const [w, h] = [Math.max(1, Math.round(width * ratio)), Math.max(1, Math.round(height * ratio))];
  if (canvas.width !== w || canvas.height !== h) {
    canvas.width = w;
    canvas.height = h;
  }
  return [w, h];
}

/** Prepares a canvas for drawing in CSS pixels on any screen. */
export function prepare(canvas: HTMLCanvasElement, width: number, height: number): CanvasRenderingContext2D {
  const ratio = window.devicePixelRatio || 1;
  size(canvas, width, height);
  const g = canvas.getContext("2d", { willReadFrequently: true })!;
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  g.clearRect(0, 0, width, height);
  return g;
}
