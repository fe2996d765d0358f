import { reactive, shallowReactive } from "vue";
import { api, ask, Refusal, type Schema } from "../api/client";
import type { Player } from "../listening/player";
import { RATE } from "../model/units";
import { connect, deviceOf, granted, inputs, InputFault, openDevice, STAND_IN, type Input } from "./input";
import { InputLevel, type Verdict } from "./levels";
import { epoch, type FromCapture, type ToCapture } from "./protocol";
import { StandIn } from "./standin";

/** Seconds between pressing and recording without a count-in. */
const RUN_UP = 0.4;
/** Seconds after which the stand-in begins to read, as anybody draws breath. */
const BREATH = 0.25;

/** What keeps a take from being ended only for a while. */
const PASSING = ["unreachable", "internal", "disk-full", "database-away", "bucket-away", "not-signed-in"];
/** Seconds before the longest that a take may be at which it is said that it will end. */
const NEAR = 600;

export type Phase = "closed" | "opening" | "ready" | "counting" | "recording" | "saving";

/** What stays chosen from one visit to the next. */
export interface Choices {
  input: string;
  stereo: boolean;
  countIn: boolean;
  /** The microphone is open in the room: nothing is played while recording. */
  openRoom: boolean;
  /** Frames at 48 kHz by which this computer's takes come late, as its user has found out. */
  late: number;
}

const KEY = "ruvel-recording";

/** Records takes of an episode. One for each desk; dispose ends it. */
export class Recorder {
  readonly choices: Choices;
  readonly state = reactive({
    phase: "closed" as Phase,
    inputs: [] as Input[],
    /** Why there is no input. */
    fault: "",
    /** What went wrong with a take; nothing of it is lost. */
    problem: "",
    /** What keeps chunks from being kept just now. */
    trouble: "",
    count: 0,
    track: "",
    begins: 0,
    /** Frames at 48 kHz. */
    recorded: 0,
    kept: 0,
    shown: [] as number[],
    held: -120,
    verdict: "nothing" as Verdict,
    limits: undefined as Schema["Limits"] | undefined,
    /** Seconds that a take may last. */
    longest: 0,
    /** Days for which a discarded take is kept. */
    discardedDays: 0,
    /** The take that has just been ended, to be heard and judged. */
    last: "",
  });
  /** Lowest and highest sample of runs of frames of the take that grows. */
  readonly wave = shallowReactive({ pairs: [] as number[], run: 1024, rate: RATE, grown: 0 });

  private worker: Worker | undefined;
  private stream: MediaStream | undefined;
  private standIn: StandIn | undefined;
  private disconnect: () => void = () => undefined;
  private level = new InputLevel();
  private format = { rate: 0, channels: 0 };
  private formatKnown: (() => void) | undefined;
  private take: Schema["TakeStatus"] | undefined;
  private moment = 0; // of the context, at which the take begins
  private discarding = false;
  private ended: (() => void) | undefined;
  private opening = 0;
  private setup: Schema["Recording"] | undefined;
  private timer = 0;
  private readonly devicesChanged = () => void this.refreshInputs();
  private readonly leaving = (event: BeforeUnloadEvent) => event.preventDefault();

  constructor(
    private readonly player: Player,
    private readonly episode: () => string,
    /** Whoever records hears what there is to speak to. */
    private readonly along = true,
  ) {
    const kept = JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Choices>;
    this.choices = reactive({ input: "", stereo: false, countIn: true, openRoom: false, late: 0, ...kept });
    navigator.mediaDevices?.addEventListener("devicechange", this.devicesChanged);
  }

  get busy(): boolean {
    return ["counting", "recording", "saving"].includes(this.state.phase);
  }

  /** The session frame that is heard, and spoken, now. */
  frameNow(context: AudioContext | undefined = this.context): number {
    if (!context) return this.state.begins;
    return this.state.begins + Math.max(0, Math.round((context.currentTime - this.moment) * RATE));
  }
  private context: AudioContext | undefined;

  keepChoices(): void {
    localStorage.setItem(KEY, JSON.stringify(this.choices));
  }

  /** Gets ready without asking anybody for anything. */
  prepare(): Promise<void> {
    this.preparing ??= this.getReady().finally(() => (this.preparing = undefined));
    return this.preparing;
  }
  private preparing: Promise<void> | undefined;

  private async getReady(): Promise<void> {
    try {
      this.setup ??= await ask(api.GET("/recording"));
      this.state.limits = this.setup.levels;
      this.state.longest = this.setup.longest;
      this.state.discardedDays = this.setup.discardedDays;
    } catch (error) {
      this.state.fault = (error as Refusal).message;
      return;
    }
    await this.refreshInputs();
    if (this.state.phase !== "closed" || !this.choices.input) return;
    if (this.choices.input !== STAND_IN && (await granted())) await this.open();
  }

  async refreshInputs(): Promise<void> {
    this.state.inputs = await inputs(this.setup?.standIn ?? "Stand-in microphone");
    if (!this.state.inputs.some((i) => i.id === this.choices.input)) {
      if (this.busy) return;
      this.choices.input = this.state.inputs[0]?.id ?? STAND_IN;
    }
  }

  /** Opens the chosen input, so that its level can be seen. */
  async open(): Promise<void> {
    if (this.busy) return;
    this.close();
    const mine = ++this.opening;
    this.state.phase = "opening";
    this.state.fault = "";
    try {
      const stream = await this.openInput();
      if (mine !== this.opening) {
        stream.getTracks().forEach((t) => t.stop());
        return;
      }
      this.stream = stream;
      stream.getAudioTracks()[0]!.addEventListener("ended", () => this.gone());
      await this.read(stream);
      if (this.choices.input !== STAND_IN) this.choices.input = deviceOf(stream) || this.choices.input;
      await this.refreshInputs();
      this.state.phase = "ready";
    } catch (error) {
      if (mine !== this.opening) return;
      this.close();
      this.state.fault = error instanceof InputFault ? error.message : `The input cannot be opened: ${String(error)}`;
    }
  }

  private async openInput(): Promise<MediaStream> {
    if (this.choices.input !== STAND_IN) return openDevice(this.choices.input, this.choices.stereo);
    this.standIn = await StandIn.open(await this.player.audio());
    return this.standIn.stream;
  }

  private async read(stream: MediaStream): Promise<void> {
    this.worker = new Worker(new URL("./capture.worker.ts", import.meta.url), { type: "module" });
    this.worker.onmessage = (event: MessageEvent<FromCapture>) => this.hear(event.data);
    const known = new Promise<void>((resolve, reject) => {
      this.formatKnown = resolve;
      window.setTimeout(() => reject(new InputFault("Nothing arrives from this input. Choose another.")), 15000);
    });
    known.catch(() => undefined); // told below, if it comes to that
    this.disconnect = await connect(stream, this.worker, () => this.player.audio());
    await known;
  }

  close(): void {
    this.opening++;
    this.tell({ type: "close" });
    this.worker = undefined;
    this.disconnect();
    this.disconnect = () => undefined;
    this.stream?.getTracks().forEach((t) => t.stop());
    this.standIn?.close();
    this.stream = this.standIn = undefined;
    this.level = new InputLevel();
    this.format = { rate: 0, channels: 0 };
    Object.assign(this.state, { phase: "closed", shown: [], held: -120, verdict: "nothing" });
  }

  dispose(): void {
    void this.stop();
    navigator.mediaDevices?.removeEventListener("devicechange", this.devicesChanged);
    window.removeEventListener("beforeunload", this.leaving);
    window.clearInterval(this.timer);
    // A take that is still being sent goes on until it is kept.
    if (this.busy) void this.settled().then(() => this.close());
    else this.close();
  }

  private async settled(): Promise<void> {
    while (this.busy) await new Promise((r) => setTimeout(r, 100));
  }

  forgiveClipping(): void {
    this.level.forgive();
    this.state.verdict = this.state.limits ? this.level.verdict(this.state.limits) : "nothing";
  }

  /** Counts in and records onto a track from a session frame on. */
  async record(track: string, begins: number): Promise<void> {
    if (this.busy) return;
    this.state.problem = this.state.trouble = this.state.last = "";
    await this.prepare();
    if (this.phaseNow() !== "ready") await this.open();
    if (this.phaseNow() !== "ready") return;
    this.state.phase = "counting";
    try {
      const context = (this.context = await this.player.audio());
      this.take = await ask(
        api.POST("/episodes/{episode}/takes", {
          params: { path: { episode: this.episode() } },
          body: {
            track,
            begins,
            late: Math.round(this.inputLatency() * RATE) + this.choices.late,
            rate: this.format.rate,
            channels: this.format.channels,
            mono: !this.choices.stereo,
            device: this.state.inputs.find((i) => i.id === this.choices.input)?.name.slice(0, 200) ?? "",
          },
        }),
      );
      if (this.phaseNow() === "counting") this.begin(context, track, begins);
      else await this.abandon();
    } catch (error) {
      this.state.phase = "ready";
      this.state.problem = error instanceof Refusal ? error.message : String(error);
    }
  }

  // Read anew, since it can change while something else is waited for.
  private phaseNow(): Phase {
    return this.state.phase;
  }

  /** Takes back a take that was asked for and then called off. */
  private async abandon(): Promise<void> {
    const take = this.take!.id;
    this.take = undefined;
    await ask(api.POST("/takes/{take}/finish", { params: { path: { take } }, body: { discard: true } })).catch(
      () => undefined,
    );
  }

  private inputLatency(): number {
    const settings = this.stream?.getAudioTracks()[0]?.getSettings() as { latency?: number } | undefined;
    return this.choices.input === STAND_IN ? 0 : (settings?.latency ?? 0);
  }

  private begin(context: AudioContext, track: string, begins: number): void {
    const seconds = this.choices.countIn ? (this.setup?.countIn ?? 3) : 0;
    this.moment = context.currentTime + Math.max(seconds, RUN_UP);
    Object.assign(this.state, { track, begins, recorded: 0, kept: 0, count: seconds });
    this.wave.pairs = [];
    this.wave.rate = this.format.rate;
    for (let n = seconds; n > 0; n--) beep(context, this.moment - n, n === 1);
    this.player.silence(this.choices.openRoom);
    if (this.along) void this.player.playAlong(begins, this.moment, track);
    const heard = heardAt(context, this.moment);
    // Whoever reads answers to what is heard, which is later than what is computed; so does the stand-in.
    const behind = Math.max(0, (heard - epoch()) / 1000 - (this.moment - context.currentTime));
    this.standIn?.read(this.moment + behind + BREATH);
    this.tell({ type: "begin", take: this.take!.id, moment: heard, chunk: this.setup!.chunk / 2 }); // a killed tab loses little
    window.addEventListener("beforeunload", this.leaving);
    window.clearInterval(this.timer);
    this.timer = window.setInterval(() => this.tick(context), 30);
  }

  private tick(context: AudioContext): void {
    const left = this.moment - context.currentTime;
    if (this.state.phase !== "counting") return;
    this.state.count = Math.max(0, Math.ceil(left));
    if (left <= 0) this.state.phase = "recording";
  }

  /** Ends the take here and keeps it; or, with discard, keeps it out of the session. */
  async stop(discard = false): Promise<void> {
    if (this.state.phase === "counting" && !this.take) {
      this.state.phase = "ready";
      return;
    }
    if (this.state.phase !== "counting" && this.state.phase !== "recording") return;
    const early = this.state.phase === "counting";
    this.discarding = discard || early;
    this.state.phase = "saving";
    window.clearInterval(this.timer);
    this.player.endAlong();
    this.player.silence(false);
    const done = new Promise<void>((resolve) => (this.ended = resolve));
    this.tell({ type: "end", moment: early ? 0 : epoch() });
    await done;
  }

  private tell(message: ToCapture): void {
    this.worker?.postMessage(message);
  }

  private hear(message: FromCapture): void {
    switch (message.type) {
      case "format":
        this.format = { rate: message.rate, channels: message.channels };
        this.formatKnown?.();
        break;
      case "level":
        if (!this.state.limits) return;
        this.level.take(message.peaks, performance.now(), this.state.limits);
        this.state.shown = this.level.shown;
        this.state.held = this.level.held;
        this.state.verdict = this.level.verdict(this.state.limits);
        break;
      case "wave":
        this.wave.run = message.run;
        this.wave.pairs.push(...message.pairs);
        this.wave.grown++;
        // What has been captured, not what a clock says: a device that stumbles leaves frames out.
        this.state.recorded = Math.round((message.taken * RATE) / this.format.rate);
        if (this.secondsLeft() < 1) void this.full();
        break;
      case "kept":
        this.state.kept = Math.round((message.kept * RATE) / this.format.rate);
        break;
      case "trouble":
        this.state.trouble = message.message;
        if (message.final) this.broken(message.message);
        break;
      case "calm":
        this.state.trouble = "";
        break;
      case "ended":
        void this.finish(message.chunks);
        break;
      case "gone":
        this.gone();
    }
  }

  /** How many seconds the take that grows may still last. */
  private secondsLeft(): number {
    return this.state.longest - this.state.recorded / RATE;
  }

  /** How many seconds are left, once that is worth a word. */
  get ending(): number | undefined {
    return this.state.phase === "recording" && this.secondsLeft() < NEAR ? this.secondsLeft() : undefined;
  }

  private async full(): Promise<void> {
    if (this.state.phase !== "recording") return;
    await this.stop();
    this.state.problem = "The take has become as long as one may be, and was kept. Record another one to go on.";
  }

  /** The input has stopped by itself: what there is of a take is kept. */
  private gone(): void {
    if (this.state.phase === "closed" || this.state.phase === "opening") return;
    const words =
      "The microphone is gone. What it heard until then is kept. Connect it again, or choose another input.";
    if (this.state.phase === "ready") {
      this.close();
      this.state.fault = words;
      void this.refreshInputs();
      return;
    }
    if (this.state.phase === "saving") return;
    void this.stop().then(() => {
      this.close();
      this.state.fault = words;
      void this.refreshInputs();
    });
  }

  /** The server has ended the take; it is there as far as it was kept. */
  private broken(message: string): void {
    this.tell({ type: "drop" });
    this.release();
    this.state.problem = `${message} The recording stopped there; what was kept is offered below.`;
  }

  private async finish(chunks: number): Promise<void> {
    const take = this.take?.id;
    for (let pause = 200; take; pause = Math.min(3000, pause * 1.7)) {
      try {
        await ask(
          api.POST("/takes/{take}/finish", {
            params: { path: { take } },
            body: { chunks, discard: this.discarding },
          }),
        );
        if (!this.discarding) this.state.last = take;
        break;
      } catch (error) {
        const refusal = error as Refusal;
        if (refusal.code === "empty-take" && this.discarding) break;
        if (!PASSING.includes(refusal.code)) {
          this.state.problem = refusal.message;
          break;
        }
        this.state.trouble = refusal.code === "unreachable" ? "The server cannot be reached." : refusal.message;
        await new Promise((r) => setTimeout(r, pause));
      }
    }
    this.state.trouble = "";
    this.release();
  }

  private release(): void {
    window.clearInterval(this.timer);
    window.removeEventListener("beforeunload", this.leaving);
    this.player.endAlong();
    this.player.silence(false);
    this.take = undefined;
    this.state.phase = this.worker ? "ready" : "closed";
    this.ended?.();
    this.ended = undefined;
  }
}

/** The time, in ms since the epoch, at which a moment of the context leaves the loudspeakers. */
function heardAt(context: AudioContext, moment: number): number {
  const { contextTime, performanceTime } = context.getOutputTimestamp();
  if (contextTime === undefined || !performanceTime) return epoch() + (moment - context.currentTime) * 1000;
  return performance.timeOrigin + performanceTime + (moment - contextTime) * 1000;
}

/** One stroke of the count-in; the last one is higher. */
function beep(context: AudioContext, at: number, last: boolean): void {
  const tone = new OscillatorNode(context, { frequency: last ? 1320 : 880 });
  const gain = new GainNode(context, { gain: 0 });
  tone.connect(gain).connect(context.destination);
  gain.gain.setValueAtTime(0, at);
  gain.gain.linearRampToValueAtTime(0.25, at + 0.005);
  gain.gain.exponentialRampToValueAtTime(0.001, at + 0.12);
  tone.start(at);
  tone.stop(at + 0.13);
}
