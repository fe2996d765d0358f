/** Fetches tiles of peaks: those of sounds together, so that all that a window shows comes with one answer. */
import { TILE, type Arrived, type TileName, type Wanted } from "./tiles";

const MOST = 48;
/** In the place of the number of peaks: the sound cannot be read just now. */
const NOT_THERE = 0xffffffff;
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
    const answer = await fetch(`/api${tile.of}/peaks/${tile.level}?from=${tile.index * TILE}&count=${TILE}`);
    if (!answer.ok) throw new Error(String(answer.status));
    arrive(tile, new Int16Array(await answer.arrayBuffer()));
  } catch {
    arrive(tile);
  }
}

async function together(tiles: TileName[]): Promise<void> {
  const left = new Map(tiles.entries());
  try {
    const of = tiles.map((t) => `${t.of}:${t.level}:${t.index * TILE}:${TILE}`).join(",");
    const answer = await fetch(`/api/peaks?of=${of}`);
    if (!answer.ok || !answer.body) throw new Error(String(answer.status));
    await read(answer.body.getReader(), (place, peaks) => {
      const tile = left.get(place);
      left.delete(place);
      if (tile) arrive(tile, peaks);
    });
  } catch {
    // What has not come is asked for again by whoever draws it.
  }
  for (const tile of left.values()) arrive(tile);
}

/** Cuts an answer into ranges: each its place, the number of its peaks, and these. */
async function read(
  reader: ReadableStreamDefaultReader<Uint8Array>,
  range: (place: number, peaks?: Int16Array<ArrayBuffer>) => void,
): Promise<void> {
  let held = new Uint8Array(0);
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const bytes = new Uint8Array(held.length + value.length);
    bytes.set(held);
    bytes.set(value, held.length);
    const view = new DataView(bytes.buffer);
    let at = 0;
    while (bytes.length - at >= 8) {
      const place = view.getUint32(at, true);
      const count = view.getUint32(at + 4, true);
      const length = count === NOT_THERE ? 0 : count * PAIR;
      if (bytes.length - at - 8 < length) break;
      range(place, count === NOT_THERE ? undefined : new Int16Array(bytes.buffer.slice(at + 8, at + 8 + length)));
      at += 8 + length;
    }
    held = bytes.slice(at);
  }
}
