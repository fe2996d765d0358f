import { shallowReactive } from "vue";
import { TILE, type Arrived, type TileName } from "./tiles";

/**
 * Peaks of sounds, by their ids, and of other things that have peaks, by their addresses ("/shelf/…"), fetched in tiles
 * at the resolution that drawing asks for. Until they come, coarser ones that are there already are drawn.
 */
const FACTOR = 4;
/** The level of single frames, and the coarsest one, of which a tile holds several hours. */
const SINGLE = 0;
const COARSEST = 9;
/** The finest level that things with an address have. */
const FINEST_THERE = 3;
/** Tiles that are kept at most; of those finer than this level, the oldest go first. */
const MOST = 2000;
const LASTING = 5;
const AGAIN_MS = 1500;

type Tile = Int16Array | "loading";

const tiles = new Map<string, Tile>();
let worker: Worker | undefined;
let wanted: TileName[] = [];

/** Changes whenever a tile has arrived, by sound; drawings that watch it draw again. */
export const arrivals = shallowReactive(new Map<string, number>());

const keyOf = (of: string, level: number, index: number) => `${of}/${level}/${index}`;

/** The coarsest level that still has a peak for every step of so many frames. */
export function levelFor(framesPerStep: number): number {
  let level = SINGLE;
  while (level < COARSEST && FACTOR ** (level + 1) <= framesPerStep) level++;
  return level;
}

function want(tile: TileName): void {
  tiles.set(keyOf(tile.of, tile.level, tile.index), "loading");
  if (wanted.length === 0) queueMicrotask(send); // all that one drawing needs goes together
  wanted.push(tile);
}

function send(): void {
  worker ??= open();
  worker.postMessage(wanted);
  wanted = [];
}

function open(): Worker {
  const fetching = new Worker(new URL("./tileWorker.ts", import.meta.url), { type: "module" });
  fetching.onmessage = ({ data }: MessageEvent<Arrived>) => {
    const key = keyOf(data.of, data.level, data.index);
    const tell = () => arrivals.set(data.of, (arrivals.get(data.of) ?? 0) + 1);
    if (data.peaks) {
      tiles.set(key, data.peaks);
      if (tiles.size > MOST) letGo();
      tell();
      return;
    }
    // It may be on its way still: whoever draws it is told a little later, and asks again.
    window.setTimeout(() => {
      tiles.delete(key);
      tell();
    }, AGAIN_MS);
  };
  return fetching;
}

function letGo(): void {
  for (const key of tiles.keys()) {
    if (Number(key.split("/").at(-2)) >= LASTING) continue;
    tiles.delete(key);
    return;
  }
}

/** Has the peaks of whole sounds fetched, a tile of each, so that there is something to be drawn of them at once. */
export function preload(sounds: Record<string, { length: number }>): void {
  for (const [of, { length }] of Object.entries(sounds)) {
    const level = Math.min(COARSEST, Math.max(LASTING, Math.ceil(Math.log(length / TILE) / Math.log(FACTOR))));
    if (!tiles.has(keyOf(of, level, 0))) want({ of, level, index: 0 });
  }
}

/** Reads the peaks of one level, tile by tile. */
class Row {
  private index = -1;
  private tile: Tile | undefined;

  constructor(
    private readonly of: string,
    readonly level: number,
    private readonly wanting: boolean,
  ) {}

  /** The tile in which a peak stands, if it is there. */
  at(peak: number): Int16Array | undefined {
    const index = Math.floor(peak / TILE);
    if (index !== this.index) {
      this.index = index;
      this.tile = tiles.get(keyOf(this.of, this.level, index));
      if (this.tile === undefined && this.wanting) want({ of: this.of, level: this.level, index });
    }
    return this.tile instanceof Int16Array ? this.tile : undefined;
  }
}

/** Reads the lowest and highest sample between frames, -1 to 1; of what is not there yet, coarser peaks or 0. */
export function reader(sound: string, framesPerStep: number): (from: number, to: number) => [number, number] {
  const finest = sound.startsWith("/") ? FINEST_THERE : SINGLE;
  const level = Math.max(finest, levelFor(framesPerStep));
  const rows = Array.from({ length: COARSEST + 1 - level }, (_, i) => new Row(sound, level + i, i === 0));
  const single = level === SINGLE;
  const range = (row: Row, from: number, to: number): [number, number] | undefined => {
    const run = FACTOR ** row.level;
    // Of single frames each is a value of its own; a run of several always reaches zero for drawing.
    let low = single ? 32767 : 0;
    let high = single ? -32767 : 0;
    let there = true;
    const last = Math.max(Math.floor(from / run) + 1, Math.ceil(to / run));
    for (let peak = Math.floor(from / run); peak < last; peak++) {
      const tile = row.at(peak);
      if (!tile) {
        there = false;
        continue;
      }
      const at = 2 * (peak % TILE);
      if (at >= tile.length) continue; // past the end
      low = Math.min(low, tile[at]!);
      high = Math.max(high, tile[at + 1]!);
    }
    return there ? (low > high ? [0, 0] : [low / 32767, high / 32767]) : undefined;
  };
  return (from, to) => {
    for (const row of rows) {
      const found = range(row, from, to);
      if (found) return found;
    }
    return [0, 0];
  };
}
