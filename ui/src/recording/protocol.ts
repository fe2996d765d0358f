/** What the main thread, the capturing worker and the fallback worklet say to each other. */

/** Samples as they came, interleaved, with the number of their first frame. */
export interface Captured {
  samples: Float32Array;
  channels: number;
  rate: number;
  /** When they were there, in ms since the epoch. */
  arrived: number;
}

/** To the worker. */
export type ToCapture =
  /** Reads an input; the stream's chunks are AudioData. */
  | { type: "stream"; readable: ReadableStream<AudioData> }
  /** Reads an input through the fallback; the port brings Captured. */
  | { type: "port"; port: MessagePort }
  /** From this moment on, in ms since the epoch, everything is kept as this take. */
  | { type: "begin"; take: string; moment: number; chunk: number }
  /** Up to this moment; then what is left is sent. */
  | { type: "end"; moment: number }
  /** Gives up what has not been sent, because the server has ended the take. */
  | { type: "drop" }
  | { type: "close" };

/** From the worker. */
export type FromCapture =
  | { type: "format"; rate: number; channels: number }
  /** Peaks of each side since the last report, amplitude. */
  | { type: "level"; peaks: number[] }
  /** Lowest and highest sample of runs of frames of the take, one pair a run; and how many frames it has now. */
  | { type: "wave"; pairs: number[]; run: number; taken: number }
  /** How much of the take is on the server's disk, in frames of the device. */
  | { type: "kept"; kept: number }
  | { type: "trouble"; message: string; final: boolean }
  | { type: "calm" }
  /** Everything up to the end is on the server's disk. */
  | { type: "ended"; chunks: number }
  /** The input has stopped by itself. */
  | { type: "gone" };

/** Now, in ms since the epoch, finer than Date.now() and the same in every thread. */
export function epoch(): number {
  return performance.timeOrigin + performance.now();
}
