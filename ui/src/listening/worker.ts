/** Fetches listening streams and hands their blocks straight to the audio worklet. */
import { fetchBytes } from "../api/ours";
import { readPieces } from "../api/pieces";
import type { Block, FromWorker, ToWorker } from "./protocol";

const HEAD = 36;
const running = new Map<number, AbortController>();
let port: MessagePort | undefined;

function tell(message: FromWorker): void {
  self.postMessage(message);
}

self.onmessage = (event: MessageEvent<ToWorker>) => {
  const message = event.data;
  if (message.type === "port") port = message.port;
  if (message.type === "fetch") void run(message.stream, message.url);
  if (message.type === "drop") {
    running.get(message.stream)?.abort();
    running.delete(message.stream);
  }
};

async function run(stream: number, url: string): Promise<void> {
  const controller = new AbortController();
  running.set(stream, controller);
  try {
    const answer = await fetchBytes(url, controller.signal);
    tell({ type: "began", stream, version: Number(answer.headers.get("X-Ruvel-Version")) });
    await readPieces(answer.body!, (view, at) => pass(stream, view, at));
  } catch (error) {
    if (!controller.signal.aborted) tell({ type: "failed", stream, message: String(error) });
  } finally {
    running.delete(stream);
  }
}

/** Passes the block at a place on, if it has come whole, and says how long it is. */
function pass(stream: number, view: DataView<ArrayBuffer>, at: number): number {
  const room = view.byteLength - at;
  if (room < HEAD) return 0;
  const [frames, tracks] = [view.getUint32(at + 8, true), view.getUint32(at + 12, true)];
  const head = HEAD + tracks * 4;
  const length = head + frames * 8;
  if (room < length) return 0;
  const data = view.buffer.slice(at + head, at + length);
  const block: Block = {
    type: "block",
    stream,
    frame: Number(view.getBigInt64(at, true)),
    peaks: [view.getFloat32(at + 16, true), view.getFloat32(at + 20, true)],
    momentary: view.getFloat32(at + 24, true),
    shortTerm: view.getFloat32(at + 28, true),
    power: view.getFloat32(at + 32, true),
    tracks: Array.from({ length: tracks }, (_, i) => view.getFloat32(at + HEAD + 4 * i, true)),
    samples: new Float32Array(data),
  };
  port?.postMessage(block, [data]);
  return length;
}
