/** Fetches tiles of peaks: those of sounds together, so that all that a window shows comes with one answer. */
import { fetchBytes } from "../api/ours";
import { readPieces } from "../api/pieces";
import { TILE, type Arrived, type TileName, type Wanted } from "./tiles";

const MOST = 48;
/** In the place of the number of peaks: the sound cannot be read just now. */
const NOT_THERE = 0xffffffff;
const HEAD = 8;
const PAIR = 4;

self.onmessage = (event: MessageEvent<Wanted>) => {
  const sounds = event.data.filter((t) => !t.of.startsWith("/"));
  for (let i = 0; i < sounds.length; i += MOST) void together(sounds.slice(i, i + MOST));
  for (const tile of event.data) if (tile.of.startsWith("/")) void alone(tile);
};

function arrive(tile: TileName, peaks?: Int16Array<ArrayBuffer>): void {
  const arrived: Arrived = { ...tile, peaks };
  self.postMessage(arrived, { transfer: peaks ? [peaks.buffer] : [] });
}

async function alone(tile: TileName): Promise<void> {
  try {
    const answer = await fetchBytes(`/api${tile.of}/peaks/${tile.level}?from=${tile.index * TILE}&count=${TILE}`);
    arrive(tile, new Int16Array(await answer.arrayBuffer()));
  } catch {
    arrive(tile);
  }
}

async function together(tiles: TileName[]): Promise<void> {
  const left = new Map(tiles.entries());
  try {
    const of = tiles.map((t) => `${t.of}:${t.level}:${t.index * TILE}:${TILE}`).join(",");
    const answer = await fetchBytes(`/api/peaks?of=${of}`);
    const range = (place: number, peaks?: Int16Array<ArrayBuffer>) => {
      const tile = left.get(place);
      left.delete(place);
      if (tile) arrive(tile, peaks);
    };
    await readPieces(answer.body!, (view, at) => take(view, at, range));
  } catch {
    // What has not come is asked for again by whoever draws it.
  }
  for (const tile of left.values()) arrive(tile);
}

/** Takes the range at a place: which of the request it is, the number of its peaks, and these; and says how long it is. */
function take(
  view: DataView<ArrayBuffer>,
  at: number,
  range: (place: number, peaks?: Int16Array<ArrayBuffer>) => void,
): number {
  const room = view.byteLength - at;
  if (room < HEAD) return 0;
  const [place, count] = [view.getUint32(at, true), view.getUint32(at + 4, true)];
  const length = HEAD + (count === NOT_THERE ? 0 : count * PAIR);
  if (room < length) return 0;
  range(place, count === NOT_THERE ? undefined : new Int16Array(view.buffer.slice(at + HEAD, at + length)));
  return length;
}
