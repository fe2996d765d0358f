import { reactive } from "vue";
import { api } from "../api/client";
import { RATE } from "../model/units";
import type { FromWorker, FromWorklet, Origin, ToWorker, ToWorklet } from "./protocol";
import workletUrl from "./worklet.ts?worker&url";

/** How far ahead of the frame now playing a changed mix is asked for. */
const LEAD = 960;
/** Silence after which the stream is asked for again, and time after which a change that has not been heard is. */
const PATIENCE_MS = 1500;
/** Time after which a change whose stream failed is asked for again. */
const AGAIN_MS = 300;
/** How long a place is heard on after the playhead was dragged there. */
const SCRUB_MS = 220;

export interface Range {
  from: number;
  to: number;
}

interface Levels {
  peaks: [number, number];
  momentary: number;
  shortTerm: number;
  tracks: number[];
}

/** The highest peaks of two reports, and the loudness of the later one. */
function together(earlier: Levels | undefined, { peaks, momentary, shortTerm, tracks }: Levels): Levels {
  if (!earlier) return { peaks, momentary, shortTerm, tracks };
  return {
    peaks: [Math.max(earlier.peaks[0], peaks[0]), Math.max(earlier.peaks[1], peaks[1])],
    momentary,
    shortTerm,
    tracks: tracks.map((peak, i) => Math.max(peak, earlier.tracks[i] ?? 0)),
  };
}

/** Plays an episode from the server and says where it is. One for each desk; dispose ends it. */
export class Player {
  readonly state = reactive({
    playing: false,
    waiting: false,
    peaks: [0, 0] as [number, number],
    momentary: -120,
    shortTerm: -120,
    tracks: [] as number[],
    late: 0,
    problem: "",
  });
  loop: Range | undefined;
  /** Tracks that are heard without their treatment. */
  bare: string[] = [];
  /** Tracks that are heard as if they did not make way for speech. */
  staying: string[] = [];
  /** Another version that is heard instead of the present one (empty: the present one), and dB by which it is made softer. */
  compared = { of: "", gain: 0 };
  /** What alone is played: a range once, or the joins. */
  /** Is called before anything begins to play. */
  before: () => void = () => undefined;
  /** A recording goes on: nothing else begins or ends what is played along with it. */
  private along = false;
  private only: { to: number } | "joins" | undefined;

  private context: AudioContext | undefined;
  private node: AudioWorkletNode | undefined;
  private out: GainNode | undefined;
  private origin: Origin | undefined;
  private without = "";
  private worker: Worker | undefined;
  private ready: Promise<void> | undefined;
  private streams = 0;
  private current = 0;
  private inFlight = 0;
  private wanted: number | undefined; // a version that waits for the change in flight
  private asking = 0; // the version that was asked for last
  private readonly versions = new Map<number, number>(); // of the streams that have begun
  private asked = 0; // when the change in flight was asked for
  private place: number | undefined; // where scrubbing wants to be
  private scrubbing = 0; // the timer that ends it
  private anchor = { frame: 0, time: 0 };
  private heard = 0;
  private powers: number[] = []; // of the last tenths of a second that were heard
  private timer = 0;
  private unseen: Levels | undefined; // what was heard since levels were shown last

  /** The version is the newest there is or that is being made. */
  constructor(
    private readonly episode: string,
    private readonly version: () => number,
  ) {}

  /** The context that everything sounds in, ready to be used. */
  async audio(): Promise<AudioContext> {
    try {
      await (this.ready ??= this.open());
      await this.context!.resume();
    } catch (error) {
      this.ready = undefined;
      throw error;
    }
    return this.context!;
  }

  /** Starts at a session frame, and goes round and round if that lies in the loop. */
  async play(from: number): Promise<void> {
    if (this.along) return;
    this.only = undefined;
    await this.start(from);
  }

  /** Plays a range once, or from a frame on only the joins, one after the other. */
  async playOnly(from: number, only: { to: number } | "joins"): Promise<void> {
    if (this.along) return;
    this.only = only;
    await this.start(from);
  }

  /** Lets a place be heard while the playhead is dragged over it; where the hand rests, it falls silent. */
  async scrub(frame: number): Promise<void> {
    if (this.along) return;
    window.clearTimeout(this.scrubbing);
    this.scrubbing = window.setTimeout(() => this.pause(), SCRUB_MS);
    if (!this.state.playing) return this.play(frame);
    this.place = frame;
    if (!this.inFlight) this.jump();
  }

  private jump(): void {
    const from = this.place!;
    this.place = undefined;
    this.anchor = { frame: from, time: -1 };
    this.powers = [];
    this.request(from, this.version(), true);
  }

  /**
   * Plays along with a recording: the session frame is heard at the very moment, in seconds of the context, and what
   * comes late is skipped, so that everything stays in step. One track, the one recorded onto, is left out.
   */
  async playAlong(from: number, moment: number, without: string): Promise<void> {
    this.stop(); // whatever was played before, and only that
    this.along = true;
    await this.start(from, { frame: from, at: Math.round(moment * RATE) }, without);
  }

  /** Ends what was played along with a recording. */
  endAlong(): void {
    this.along = false;
    this.stop();
  }

  /** Silences what is played without ending it, for a room with an open microphone. */
  silence(on: boolean): void {
    if (this.out) this.out.gain.value = on ? 0 : 1;
  }

  private async start(from: number, origin?: Origin, without = ""): Promise<void> {
    this.before();
    this.state.problem = "";
    this.state.playing = this.state.waiting = true;
    // From now on it is there, although nothing is heard yet: whoever marks this place or stops means this one.
    this.anchor = { frame: from, time: -1 };
    this.drop(this.current, this.inFlight);
    this.current = this.inFlight = 0;
    try {
      await this.audio();
    } catch (error) {
      this.state.playing = this.state.waiting = false;
      this.state.problem = `Sound cannot be played here: ${String(error)}`;
      return;
    }
    if (!this.state.playing) return;
    this.drop(this.current, this.inFlight);
    this.current = ++this.streams;
    this.inFlight = 0;
    this.origin = origin;
    this.without = without;
    this.heard = performance.now() + (origin ? (origin.at / RATE - this.context!.currentTime) * 1000 : 0);
    this.anchor = { frame: from, time: -1 };
    this.powers = [];
    this.toWorklet({ type: "start", stream: this.current, origin });
    this.fetch(this.current, from, this.version());
    window.clearInterval(this.timer);
    this.timer = window.setInterval(() => this.watch(), 250);
  }

  pause(): void {
    if (!this.along) this.stop();
  }

  private stop(): void {
    this.state.playing = this.state.waiting = false;
    window.clearInterval(this.timer);
    this.report();
    this.toWorklet({ type: "stop" });
    this.drop(this.current, this.inFlight);
    this.current = this.inFlight = 0;
    this.wanted = this.origin = this.place = this.only = undefined;
    window.clearTimeout(this.scrubbing);
    this.without = "";
    this.quiet();
  }

  /** The mix or the loop has changed: go on with it from the frame that is playing. One change at a time, the latest wins. */
  changed(version = this.version()): void {
    if (!this.state.playing || !this.current) return;
    if (this.inFlight) {
      this.wanted = version;
      if (version < this.asking) this.again(this.inFlight); // which will not come: it was refused
      return;
    }
    this.wanted = undefined;
    const now = this.frameNow();
    const ahead = this.loop && !this.origin && now < this.loop.to ? Math.min(now + LEAD, this.loop.to - 1) : now + LEAD;
    this.request(ahead, version);
  }

  private request(from: number, version: number, jump = false): void {
    this.inFlight = ++this.streams;
    this.asked = performance.now();
    this.toWorklet({ type: "next", stream: this.inFlight, jump });
    this.fetch(this.inFlight, from, version);
  }

  /** The session frame that is heard now. */
  frameNow(): number {
    if (!this.state.playing || !this.context || this.anchor.time < 0) return this.anchor.frame;
    const latency = this.context.outputLatency || this.context.baseLatency || 0;
    const since = Math.max(0, Math.min(0.2, this.context.currentTime - latency - this.anchor.time));
    let frame = Math.round(this.anchor.frame + since * RATE);
    if (this.loop && !this.origin && frame >= this.loop.to && this.anchor.frame < this.loop.to)
      frame = this.loop.from + (frame - this.loop.to);
    return frame;
  }

  /** Says how often there was nothing to play, for those who watch over the server. */
  private report(): void {
    const times = this.state.late - this.reported;
    this.reported = this.state.late;
    if (times <= 0) return;
    const body = { times };
    const params = { path: { episode: this.episode } };
    // It is worth no word where it does not arrive.
    void api.POST("/episodes/{episode}/dropouts", { params, body }).catch(() => undefined);
  }
  private reported = 0;

  dispose(): void {
    this.endAlong();
    this.worker?.terminate();
    void this.context?.close();
  }

  private async open(): Promise<void> {
    const context = new AudioContext({ sampleRate: RATE, latencyHint: "interactive" });
    if (context.sampleRate !== RATE) throw new Error(`this browser plays at ${context.sampleRate} Hz only`);
    await context.audioWorklet.addModule(workletUrl);
    this.node = new AudioWorkletNode(context, "ruvel-listening", { numberOfInputs: 0, outputChannelCount: [2] });
    this.out = new GainNode(context);
    this.node.connect(this.out).connect(context.destination);
    this.node.port.onmessage = (event: MessageEvent<FromWorklet>) => this.hearWorklet(event.data);
    this.worker = new Worker(new URL("./worker.ts", import.meta.url), { type: "module" });
    this.worker.onmessage = (event: MessageEvent<FromWorker>) => this.hearWorker(event.data);
    const channel = new MessageChannel();
    this.worker.postMessage({ type: "port", port: channel.port1 } satisfies ToWorker, [channel.port1]);
    this.node.port.postMessage({ type: "port", port: channel.port2 } satisfies ToWorklet, [channel.port2]);
    this.context = context;
  }

  private toWorklet(message: ToWorklet): void {
    this.node?.port.postMessage(message);
  }

  private fetch(stream: number, from: number, version: number): void {
    this.asking = version;
    const query = new URLSearchParams({ from: String(Math.max(0, Math.round(from))), rev: String(version) });
    if (this.only === "joins") query.set("joins", "true");
    else if (this.only) query.set("to", String(Math.round(this.only.to)));
    else if (this.loop && !this.origin && from < this.loop.to) {
      query.set("to", String(this.loop.to));
      query.set("loopFrom", String(this.loop.from));
      query.set("loop", "true");
    }
    if (this.without) query.set("without", this.without);
    if (this.bare.length > 0) query.set("untreated", this.bare.join());
    if (this.staying.length > 0) query.set("staying", this.staying.join());
    if (this.compared.of) query.set("of", this.compared.of);
    if (this.compared.gain < 0) query.set("gain", this.compared.gain.toFixed(3));
    if (this.powers.length > 0) query.set("heard", this.powers.map((p) => p.toPrecision(4)).join());
    const url = `/api/episodes/${this.episode}/listen?${query}`;
    this.worker?.postMessage({ type: "fetch", stream, url } satisfies ToWorker);
  }

  private drop(...streams: number[]): void {
    for (const stream of streams) {
      this.versions.delete(stream);
      if (stream) this.worker?.postMessage({ type: "drop", stream } satisfies ToWorker);
    }
  }

  private hearWorklet(message: FromWorklet): void {
    switch (message.type) {
      case "took":
        this.drop(this.current);
        this.current = message.stream;
        this.inFlight = 0;
        if (this.place !== undefined) this.jump();
        else if (this.wanted !== undefined) this.changed(this.wanted);
        else this.keepUp();
        break;
      case "ended":
        if (this.state.playing) this.stop();
        break;
      case "at":
        if (!this.state.playing) return;
        this.state.late = message.late;
        if (!message.playing || message.stream !== this.current) return;
        this.heard = performance.now();
        this.state.waiting = false;
        this.anchor = { frame: message.frame, time: message.time };
        this.unseen = together(this.unseen, message);
        this.powers = message.powers;
    }
  }

  /** Shows the levels that were heard since they were shown last. Each time costs the page a frame. */
  showLevels(): void {
    if (!this.unseen) return;
    Object.assign(this.state, this.unseen);
    this.unseen = undefined;
  }

  private hearWorker(message: FromWorker): void {
    if (message.type === "began") {
      this.versions.set(message.stream, message.version);
      return;
    }
    this.state.problem = "The sound does not arrive; trying again.";
    if (message.stream === this.inFlight) window.setTimeout(() => this.again(message.stream), AGAIN_MS);
  }

  /** Asks for the newest version if an older one is heard, as when the server would not wait for it any longer. */
  private keepUp(): void {
    const heard = this.versions.get(this.current);
    if (!this.inFlight && heard !== undefined && heard < this.version()) this.changed();
  }

  /** Asks again for a change that has not come: what is heard must not stay behind what is seen. */
  private again(stream: number): void {
    if (stream !== this.inFlight) return;
    this.drop(stream);
    this.inFlight = 0;
    this.changed(this.wanted ?? this.version());
  }

  /** Asks for the sound again where it has stayed away. */
  private watch(): void {
    if (!this.state.playing) return;
    if (this.inFlight && performance.now() - this.asked > PATIENCE_MS) this.again(this.inFlight);
    this.keepUp();
    if (performance.now() - this.heard < PATIENCE_MS) return;
    this.state.waiting = true;
    if (this.origin) {
      // In step with a recording there is no going back: the sound is taken up where it should be now.
      this.heard = performance.now();
      this.inFlight = 0;
      this.anchor = {
        frame: this.origin.frame + Math.round(this.context!.currentTime * RATE) - this.origin.at,
        time: -1,
      };
      this.changed();
      return;
    }
    void this.start(this.anchor.frame);
  }

  private quiet(): void {
    this.unseen = undefined;
    this.state.peaks = [0, 0];
    this.state.momentary = this.state.shortTerm = -120;
    this.state.tracks = [];
  }
}
