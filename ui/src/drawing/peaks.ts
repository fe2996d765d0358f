import { shallowReactive } from "vue";

/** Peaks of sounds, by their ids, and of other things that have peaks, by their addresses ("/shelf/…"), fetched in tiles at the resolution that drawing asks for. */
const FINEST = 64;
/** The level of single frames, below the finest peaks. */
const SINGLE = -1;
const FACTOR = 4;
const LEVELS = 7;
const TILE = 8192;
const AGAIN_MS = 1500;

type Tile = Int16Array | "loading";

const tiles = new Map<string, Tile>();

/** Changes whenever a tile has arrived, by sound; drawings that watch it draw again. */
export const arrivals = shallowReactive(new Map<string, number>());

function framesPerPeak(level: number): number {
  return level === SINGLE ? 1 : FINEST * FACTOR ** level;
}

/** The coarsest level that still has a peak for every step of so many frames. */
export function levelFor(framesPerStep: number): number {
  if (framesPerStep < FINEST / 2) return SINGLE;
  let level = 0;
  while (level + 1 < LEVELS && framesPerPeak(level + 1) <= framesPerStep) level++;
  return level;
}

async function load(sound: string, level: number, index: number): Promise<void> {
  const key = `${sound}/${level}/${index}`;
  tiles.set(key, "loading");
  try {
    const address = sound.startsWith("/") ? sound : `/sounds/${sound}`;
    const part = level === SINGLE ? "frames" : `peaks/${level}`;
    const answer = await fetch(`/api${address}/${part}?from=${index * TILE}&count=${TILE}`);
    if (!answer.ok) throw new Error(String(answer.status));
    tiles.set(key, new Int16Array(await answer.arrayBuffer()));
  } catch {
    // It may be on its way still: whoever draws it is told a little later, and asks again.
    await new Promise((r) => setTimeout(r, AGAIN_MS));
    tiles.delete(key);
  }
  arrivals.set(sound, (arrivals.get(sound) ?? 0) + 1);
}

/** Reads the lowest and highest sample between frames, -1 to 1; what is not there yet is fetched and is 0. */
export function reader(sound: string, framesPerStep: number): (from: number, to: number) => [number, number] {
  const level = sound.startsWith("/") ? Math.max(0, levelFor(framesPerStep)) : levelFor(framesPerStep);
  const run = framesPerPeak(level);
  return (from, to) => {
    // Of single frames each is a value of its own; a run of several always reaches zero for drawing.
    let low = level === SINGLE ? 32767 : 0;
    let high = level === SINGLE ? -32767 : 0;
    const last = Math.max(Math.floor(from / run) + 1, Math.ceil(to / run));
    for (let peak = Math.floor(from / run); peak < last; peak++) {
      const index = Math.floor(peak / TILE);
      const tile = tiles.get(`${sound}/${level}/${index}`);
      if (tile === undefined) void load(sound, level, index);
      if (tile === undefined || tile === "loading") continue;
      low = Math.min(low, tile[2 * (peak - index * TILE)] ?? 0);
      high = Math.max(high, tile[2 * (peak - index * TILE) + 1] ?? 0);
    }
    return low > high ? [0, 0] : [low / 32767, high / 32767];
  };
}
