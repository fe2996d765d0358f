/** Fetches listening streams and hands their blocks straight to the audio worklet. */
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
    const answer = await fetch(url, { signal: controller.signal });
    if (!answer.ok || !answer.body) throw new Error(`the server answered ${answer.status}`);
    tell({ type: "began", stream, version: Number(answer.headers.get("X-Ruvel-Version")) });
    await read(stream, answer.body.getReader());
  } catch (error) {
    if (!controller.signal.aborted) tell({ type: "failed", stream, message: String(error) });
  } finally {
    running.delete(stream);
  }
}

/** Cuts the stream of bytes into blocks. */
async function read(stream: number, reader: ReadableStreamDefaultReader<Uint8Array>): Promise<void> {
  let held = new Uint8Array(0);
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const bytes = new Uint8Array(held.length + value.length);
    bytes.set(held);
    bytes.set(value, held.length);
    let at = 0;
    const view = new DataView(bytes.buffer);
    while (bytes.length - at >= HEAD) {
      const frames = view.getUint32(at + 8, true);
      const head = HEAD + view.getUint32(at + 12, true) * 4;
      const length = head + frames * 8;
      if (bytes.length - at < length) break;
      pass(stream, view, at, frames, bytes.buffer.slice(at + head, at + length));
      at += length;
    }
    held = bytes.slice(at);
  }
}

function pass(stream: number, view: DataView, at: number, frames: number, data: ArrayBuffer): void {
  const block: Block = {
    type: "block",
    stream,
    frame: Number(view.getBigInt64(at, true)),
    peaks: [view.getFloat32(at + 16, true), view.getFloat32(at + 20, true)],
    momentary: view.getFloat32(at + 24, true),
    shortTerm: view.getFloat32(at + 28, true),
    power: view.getFloat32(at + 32, true),
    tracks: Array.from({ length: view.getUint32(at + 12, true) }, (_, i) => view.getFloat32(at + HEAD + 4 * i, true)),
    samples: new Float32Array(data, 0, frames * 2),
  };
  port?.postMessage(block, [data]);
}
