/** What the main thread, the fetching worker and the audio worklet say to each other. */

/** A block of the listening stream; see docs/api.md. */
export interface Block {
  type: "block";
  stream: number;
  frame: number;
  peaks: [number, number];
  momentary: number;
  shortTerm: number;
  /** The power of the tenth of a second that ended in it, or -1. */
  power: number;
  /** The highest sample of each track. */
  tracks: number[];
  /** Interleaved left and right. Empty: the stream has ended. */
  samples: Float32Array;
}

/** To the worker. */
export type ToWorker =
  | { type: "port"; port: MessagePort }
  | { type: "fetch"; stream: number; url: string }
  | { type: "drop"; stream: number };

/** From the worker to the main thread. */
export type FromWorker =
  { type: "began"; stream: number; version: number } | { type: "failed"; stream: number; message: string };

/** Which session frame is heard at which frame of the audio context. */
export interface Origin {
  frame: number;
  at: number;
}

/** To the worklet, besides blocks. */
export type ToWorklet =
  | { type: "port"; port: MessagePort }
  /** With an origin, the session frame is heard at the very context frame; what comes late is skipped. */
  | { type: "start"; stream: number; origin?: Origin }
  /** It takes over at the frame that has been reached; if it jumps, wherever it begins. */
  | { type: "next"; stream: number; jump?: boolean }
  | { type: "stop" };

/** From the worklet to the main thread. */
export type FromWorklet =
  | {
      type: "at";
      stream: number;
      frame: number;
      time: number;
      playing: boolean;
      peaks: [number, number];
      momentary: number;
      shortTerm: number;
      tracks: number[];
      /** The powers of the last tenths of a second that were heard, one after the other. */
      powers: number[];
      late: number;
    }
  | { type: "took"; stream: number }
  | { type: "ended" };
