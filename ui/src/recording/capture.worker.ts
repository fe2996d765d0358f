/** Reads an input, says its level, and sends what is recorded. Here, and not on the main thread, nothing stalls it. */
import { CaptureClock } from "./clock";
import { epoch, type Captured, type FromCapture, type ToCapture } from "./protocol";
import { Sender } from "./sender";

const LEVEL_EVERY_MS = 50;
/** Frames of which one column of the growing waveform is drawn. */
const RUN = 1024;
/** How much of what is past is kept, in seconds, in case it belongs to a take that is about to begin. */
const HINDSIGHT = 1;

let format = { rate: 0, channels: 0 };
let clock = new CaptureClock(1);
let frames = 0; // captured since the input was opened
let past: { first: number; samples: Float32Array }[] = [];
let peaks: number[] = [];
let reported = 0;
let reader: ReadableStreamDefaultReader<AudioData> | undefined;

/** The take that is being recorded, between two moments in ms since the epoch. */
interface Growing {
  sender: Sender;
  begin: number;
  end: number;
  /** Its first frame, once that has come. */
  from: number | undefined;
  size: number;
  held: Float32Array<ArrayBuffer>;
  filled: number;
  /** Frames that it has. */
  taken: number;
  run: Run;
}
let take: Growing | undefined;
interface Run {
  low: number;
  high: number;
  count: number;
}

function tell(message: FromCapture): void {
  self.postMessage(message);
}

self.onmessage = (event: MessageEvent<ToCapture>) => {
  const message = event.data;
  switch (message.type) {
    case "stream":
      void read(message.readable);
      break;
    case "port":
      message.port.onmessage = (e: MessageEvent<Captured>) => push({ ...e.data, arrived: epoch() });
      break;
    case "begin":
      begin(message.take, message.moment, message.chunk);
      break;
    case "end":
      end(message.moment);
      break;
    case "drop":
      take?.sender.stop();
      take = undefined;
      break;
    case "close":
      void reader?.cancel().catch(() => undefined);
      self.close();
  }
};

async function read(readable: ReadableStream<AudioData>): Promise<void> {
  reader = readable.getReader();
  try {
    for (;;) {
      const { value, done } = await reader.read();
      if (done) break;
      const arrived = epoch();
      push({ ...interleaved(value), arrived });
      value.close();
    }
  } catch {
    // The input broke off; that is told below.
  }
  tell({ type: "gone" });
}

function interleaved(data: AudioData): { samples: Float32Array; channels: number; rate: number } {
  const channels = Math.min(2, data.numberOfChannels);
  const samples = new Float32Array(data.numberOfFrames * channels);
  const plane = new Float32Array(data.numberOfFrames);
  for (let c = 0; c < channels; c++) {
    data.copyTo(plane, { planeIndex: c, format: "f32-planar" });
    for (let i = 0; i < plane.length; i++) samples[i * channels + c] = plane[i]!;
  }
  return { samples, channels, rate: data.sampleRate };
}

function push({ samples, channels, rate, arrived }: Captured): void {
  if (rate !== format.rate || channels !== format.channels) {
    if (take) return; // a device does not change in the middle of a take; what does not fit is left out
    format = { rate, channels };
    clock = new CaptureClock(rate);
    frames = 0;
    past = [];
    tell({ type: "format", ...format });
  }
  const count = samples.length / channels;
  clock.note(count, arrived);
  measure(samples, arrived);
  past.push({ first: frames, samples });
  frames += count;
  if (take && take !== finishing) {
    if (take.from === undefined) start(take);
    else keep(take, frames - count, samples);
  }
  while (past.length > 1 && frames - past[0]!.first > HINDSIGHT * rate) past.shift();
}

function measure(samples: Float32Array, now: number): void {
  for (let i = 0; i < samples.length; i++) {
    const c = i % format.channels;
    peaks[c] = Math.max(peaks[c] ?? 0, Math.abs(samples[i]!));
  }
  if (now - reported < LEVEL_EVERY_MS) return;
  tell({ type: "level", peaks });
  peaks = [];
  reported = now;
}

function begin(id: string, moment: number, chunk: number): void {
  const size = Math.floor(format.rate * chunk) * format.channels;
  const sender = new Sender(id, {
    kept: () => progress(),
    trouble: (message, final) => tell({ type: "trouble", message, final }),
    calm: () => tell({ type: "calm" }),
  });
  const held = new Float32Array(size);
  const run = { low: 0, high: 0, count: 0 };
  take = { sender, begin: moment, end: Infinity, from: undefined, size, held, filled: 0, taken: 0, run };
}

/** Once the moment has come, the take begins with the very frame that was captured then. */
function start(growing: Growing): void {
  const from = clock.frameAt(growing.begin);
  if (from >= frames) {
    if (clock.frameAt(growing.end) <= frames) void finish(); // called off before it began
    return;
  }
  growing.from = Math.max(from, past[0]!.first);
  for (const block of past) keep(growing, block.first, block.samples);
}

/** Adds to the take what lies within it of a block that begins with a frame. */
function keep(growing: Growing, first: number, samples: Float32Array): void {
  const count = samples.length / format.channels;
  const to = growing.end === Infinity ? Infinity : Math.max(growing.from!, clock.frameAt(growing.end));
  const skip = Math.max(0, growing.from! - first);
  const last = Math.min(count, to - first);
  if (skip < last) {
    const pairs: number[] = [];
    for (let i = skip * format.channels; i < last * format.channels; i++) {
      growing.held[growing.filled++] = samples[i]!;
      if (growing.filled === growing.size) send(growing);
      draw(growing.run, samples[i]!, pairs);
    }
    growing.taken += last - skip;
    if (pairs.length > 0) tell({ type: "wave", pairs, run: RUN, taken: growing.taken });
  }
  if (first + count >= to) void finish();
}

function draw(run: Run, sample: number, pairs: number[]): void {
  run.low = Math.min(run.low, sample);
  run.high = Math.max(run.high, sample);
  if (++run.count < RUN * format.channels) return;
  pairs.push(run.low, run.high);
  run.low = run.high = run.count = 0;
}

function send(growing: Growing): void {
  if (growing.filled === 0) return;
  growing.sender.add(growing.held.slice(0, growing.filled));
  growing.held = new Float32Array(growing.size);
  growing.filled = 0;
  progress();
}

function progress(): void {
  if (!take) return;
  tell({ type: "kept", kept: (take.sender.sent * take.size) / format.channels });
}

/** How long to wait, after the end, for what was captured until then; an input that is gone brings nothing more. */
const LAST_MS = 1000;

function end(moment: number): void {
  if (!take) return;
  const ending = take;
  ending.end = moment;
  if (ending.from === undefined && moment <= ending.begin) void finish();
  else setTimeout(() => take === ending && void finish(), LAST_MS);
}

let finishing: Growing | undefined;
async function finish(): Promise<void> {
  const ending = take;
  if (!ending || finishing === ending) return;
  finishing = ending;
  send(ending);
  await ending.sender.done();
  if (take !== ending) return;
  take = undefined;
  tell({ type: "ended", chunks: ending.sender.chunks });
}
