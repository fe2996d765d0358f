import { fetchBytes } from "../api/ours";
import { shallowReactive } from "vue";

/**
 * What the treatments of tracks do over time, fetched in tiles of cells of the length that drawing asks for. Until a tile
 * comes, a coarser one is used; one that a change has made old is used until the new one comes.
 */

/** What the server gives for a cell: eight numbers, levels in hundredths of dB. */
const NUMBERS = 8;
export const enum Of {
  gate,
  expander,
  compressor,
  limiter,
  level,
  in,
  out,
  gated,
}
export const GATED = { closed: 1, holding: 2, open: 3 } as const;
const UNKNOWN = 255;

/** The lengths of cells, in frames. */
const STEP = 16;
const LENGTHS = [STEP, 160, 1600, 16000];
/** Cells of a tile, and tiles of a request. */
const TILE = 512;
const TOGETHER = 32;
/** Requests at a time, so that listening never waits for one. */
const AT_ONCE = 2;
/** Tiles that are kept at most, of an episode. */
const MOST = 1500;
/** Milliseconds after which a request that failed is made again. */
const AGAIN_MS = 1000;

interface Tile {
  cells: Int16Array | undefined;
  /** The change of the track that it knows of, and the one that was asked for. */
  knows: number;
  asked: number;
  whole: boolean;
}

const tiles = new Map<string, Tile>();
/** How often each track has changed, as far as its treatment goes. */
const changes = new Map<string, number>();
let place: { episode: string; version: () => number } | undefined;
let wanted: { track: string; length: number; index: number }[] = [];
let under = 0;
let planned = false;

/** Changes whenever something has arrived, by track; drawings that watch it draw again. */
export const courseArrivals = shallowReactive(new Map<string, number>());

/** Begins with an episode whose version is known; nothing of another one is kept. */
export function followCourses(episode: string, version: () => number): void {
  place = { episode, version };
  tiles.clear();
  changes.clear();
  wanted = [];
}

/** Milliseconds for which a hand rests before what it changes is asked for, and at most so many after it began to move. */
const QUIET_MS = 100;
const LONGEST_MS = 400;
const moving = new Map<string, { since: number; timer: number }>();

/** The treatment of a track, or what goes into it, has changed. What is heard comes before what is seen of that. */
export function courseChanged(track: string): void {
  const now = performance.now();
  const since = moving.get(track)?.since ?? now;
  window.clearTimeout(moving.get(track)?.timer);
  const ask = () => {
    moving.delete(track);
    changes.set(track, changeOf(track) + 1);
    tell(track);
  };
  const timer = window.setTimeout(ask, Math.max(0, Math.min(QUIET_MS, since + LONGEST_MS - now)));
  moving.set(track, { since, timer });
}

const changeOf = (track: string) => changes.get(track) ?? 0;
const keyOf = (track: string, length: number, index: number) => `${track}/${length}/${index}`;
const tell = (track: string) => courseArrivals.set(track, (courseArrivals.get(track) ?? 0) + 1);

function tile(track: string, length: number, index: number): Int16Array | undefined {
  const key = keyOf(track, length, index);
  let there = tiles.get(key);
  if (!there) tiles.set(key, (there = { cells: undefined, knows: -1, asked: -1, whole: false }));
  if (there.asked < changeOf(track)) {
    there.asked = changeOf(track);
    wanted.push({ track, length, index });
    plan();
  }
  return there.cells;
}

function plan(): void {
  if (planned) return;
  planned = true;
  queueMicrotask(() => {
    planned = false;
    while (under < AT_ONCE && wanted.length > 0) void next();
  });
}

/** Asks for what was wanted first, and for what lies beside it. */
async function next(): Promise<void> {
  const { track, length, index } = wanted[0]!;
  const beside = wanted.filter((w) => w.track === track && w.length === length).map((w) => w.index);
  let [from, to] = [index, index + 1];
  while (to - from < TOGETHER && beside.includes(from - 1)) from--;
  while (to - from < TOGETHER && beside.includes(to)) to++;
  wanted = wanted.filter((w) => w.track !== track || w.length !== length || w.index < from || w.index >= to);
  const at = place!;
  const change = changeOf(track);
  const query = new URLSearchParams({
    from: String(from * TILE * length),
    length: String(length),
    count: String((to - from) * TILE),
    rev: String(at.version()),
  });
  under++;
  try {
    const answer = await fetchBytes(`/api/episodes/${at.episode}/tracks/${track}/course?${query}`);
    const all = new Int16Array(await answer.arrayBuffer());
    if (place === at) take(track, length, from, to, all, change);
  } catch (error) {
    console.info("what a treatment does did not come; asking again", error);
    if (place === at) window.setTimeout(() => forget(track, length, from, to), AGAIN_MS);
  } finally {
    under--;
    plan();
  }
}

function take(track: string, length: number, from: number, to: number, all: Int16Array, change: number): void {
  const size = TILE * NUMBERS;
  for (let index = from; index < to; index++) {
    const there = tiles.get(keyOf(track, length, index));
    if (!there || there.knows > change) continue;
    const cells = all.slice((index - from) * size, (index - from + 1) * size);
    const whole = isWhole(cells);
    // What was there stays while the new one is being computed.
    if (whole || !there.cells || !there.whole) {
      there.cells = cells;
      there.whole = whole;
    }
    there.knows = change;
    if (!whole) there.asked = -1;
  }
  letGo();
  tell(track);
}

function isWhole(cells: Int16Array): boolean {
  for (let i = Of.gated; i < cells.length; i += NUMBERS) if ((cells[i]! & 255) === UNKNOWN) return false;
  return true;
}

function forget(track: string, length: number, from: number, to: number): void {
  for (let index = from; index < to; index++) {
    const there = tiles.get(keyOf(track, length, index));
    if (there) there.asked = -1;
  }
  tell(track);
}

function letGo(): void {
  for (const key of tiles.keys()) {
    if (tiles.size <= MOST) return;
    tiles.delete(key);
  }
}

/** The longest cells of which each step of so many frames has one of its own. */
function lengthFor(framesPerStep: number): number {
  return LENGTHS.filter((length) => length <= Math.max(STEP, framesPerStep)).at(-1)!;
}

/** What happens to a stretch of a track; levels in dB. */
export interface Course {
  gate: number;
  expander: number;
  compressor: number;
  limiter: number;
  /** By how much its highest sample changes. */
  change: number;
  /** The level before the treatment. */
  level: number;
  /** One of GATED, or 0 if there is no gate. */
  gated: number;
}

/** Reads what the treatment of a track does between two session frames, where that is known. */
export function courseReader(track: string, framesPerStep: number): (from: number, to: number) => Course | undefined {
  const finest = lengthFor(framesPerStep);
  const lengths = LENGTHS.filter((length) => length >= finest);
  const kept: { index: number; cells: Int16Array | undefined }[] = lengths.map(() => ({ index: -1, cells: undefined }));
  const cellAt = (row: number, cell: number): Int16Array | undefined => {
    const index = Math.floor(cell / TILE);
    const last = kept[row]!;
    if (last.index !== index) {
      last.index = index;
      last.cells = row === 0 ? tile(track, lengths[0]!, index) : tiles.get(keyOf(track, lengths[row]!, index))?.cells;
    }
    return last.cells;
  };
  const read = (row: number, from: number, to: number): Course | undefined => {
    const length = lengths[row]!;
    const first = Math.floor(from / length);
    const last = Math.max(first + 1, Math.ceil(to / length));
    const sum = { gate: 0, expander: 0, compressor: 0, limiter: 0 };
    let [high, out, level, gated] = [-32768, -32768, -32768, 0];
    for (let cell = first; cell < last; cell++) {
      const cells = cellAt(row, cell);
      const i = (cell % TILE) * NUMBERS;
      if (!cells || (cells[i + Of.gated]! & 255) === UNKNOWN) return undefined;
      sum.gate += cells[i + Of.gate]!;
      sum.expander += cells[i + Of.expander]!;
      sum.compressor += cells[i + Of.compressor]!;
      sum.limiter += cells[i + Of.limiter]!;
      high = Math.max(high, cells[i + Of.in]!);
      out = Math.max(out, cells[i + Of.out]!);
      level = Math.max(level, cells[i + Of.level]!);
      gated = Math.max(gated, cells[i + Of.gated]! & 255);
    }
    const n = 100 * (last - first);
    const [gate, expander] = [sum.gate / n, sum.expander / n];
    const [compressor, limiter] = [sum.compressor / n, sum.limiter / n];
    // A step has no highest sample of its own.
    const change = length === STEP ? gate + expander + compressor + limiter : (out - high) / 100;
    return { gate, expander, compressor, limiter, change, level: level / 100, gated };
  };
  return (from, to) => {
    for (let row = 0; row < lengths.length; row++) {
      const found = read(row, from, to);
      if (found) return found;
    }
    return undefined;
  };
}

/** Under this level before a treatment nothing is said of it: it is silence. */
const SILENT_DB = -90;

/** What the treatment of a track does at a session frame, to a hundredth of a second, if anything sounds there. */
export function courseHeard(track: string, frame: number): Course | undefined {
  const course = courseAt(track, frame, false);
  return course && course.level > SILENT_DB ? course : undefined;
}

/** What the treatment of a track does at a session frame, exactly, or to a hundredth of a second. */
export function courseAt(track: string, frame: number, exactly: boolean): Course | undefined {
  void courseArrivals.get(track);
  const length = exactly ? STEP : LENGTHS[1]!;
  const at = Math.floor(frame / length) * length;
  return courseReader(track, length)(at, at + length);
}
