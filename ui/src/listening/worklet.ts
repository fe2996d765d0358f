/**
 * Plays the blocks of one listening stream and changes over to the next without a gap. Blocks carry the session
 * frame that they begin with; the next stream takes over at the very frame that the current one has reached, in a
 * short linear crossing.
 */
import type { Block, FromWorklet, Origin, ToWorklet } from "./protocol";
import { Ring } from "./ring";

declare const currentTime: number;
declare const currentFrame: number;
declare abstract class AudioWorkletProcessor {
  readonly port: MessagePort;
  abstract process(inputs: Float32Array[][], outputs: Float32Array[][]): boolean;
}
declare function registerProcessor(name: string, type: new () => AudioWorkletProcessor): void;

const CROSSING = 384;
/** What a stream has ready before it takes over: it must not run dry where its next block comes a little late. */
const RESERVE = 1024;
const REPORT_EVERY = 8;
/** How many powers are remembered: those of three seconds. */
const POWERS = 30;

/** What is left, a frame later, of a step that a gap would make: a tenth after 3 ms. */
const DYING = 0.984;

class Listening extends AudioWorkletProcessor {
  private current: Ring | undefined;
  private next: Ring | undefined;
  private leaving: Ring | undefined; // fades out while the current one comes in
  private origin: Origin | undefined;
  private crossed = 0;
  private quanta = 0;
  private late = 0;
  private last: Block | undefined;
  private powers: number[] = [];
  private begun = false; // this stream has been heard
  private gap = false; // there was no sound in the frame before, though more is to come
  private readonly step: [number, number] = [0, 0]; // what is still left of a step that a gap has made
  private readonly heard: [number, number] = [0, 0]; // the frame before
  private readonly a: [number, number] = [0, 0];
  private readonly b: [number, number] = [0, 0];

  constructor() {
    super();
    this.port.onmessage = (event: MessageEvent<ToWorklet>) => this.hear(event.data);
  }

  private hear(message: ToWorklet): void {
    switch (message.type) {
      case "port":
        message.port.onmessage = (event: MessageEvent<Block>) => this.receive(event.data);
        break;
      case "start":
        this.current = new Ring(message.stream);
        this.powers = [];
        this.origin = message.origin;
        this.next = this.leaving = undefined;
        this.begun = this.gap = false;
        this.step.fill(0);
        break;
      case "next":
        this.next = new Ring(message.stream, message.jump);
        break;
      case "stop":
        this.leaving = this.current; // crosses to silence
        this.crossed = 0;
        this.current = this.next = this.origin = undefined;
    }
  }

  private receive(block: Block): void {
    for (const ring of [this.current, this.next]) {
      if (ring?.stream === block.stream) ring.push(block);
    }
  }

  private tell(message: FromWorklet): void {
    this.port.postMessage(message);
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const [left, right] = outputs[0]!;
    if (!left || !right) return true;
    this.changeOver();
    const first = this.inStep(left.length);
    const start = this.current?.frame;
    for (let i = first; i < left.length; i++) this.one(left, right, i);
    this.report(start);
    return true;
  }

  /** Where in this quantum sound begins: with an origin, only at its frame, and later only in step with it. */
  private inStep(length: number): number {
    if (!this.origin) return 0;
    const wait = Math.max(0, this.origin.at - currentFrame);
    if (wait >= length) return length;
    const due = this.origin.frame + currentFrame + wait - this.origin.at;
    return this.current?.seek(due) ? wait : length;
  }

  private one(left: Float32Array, right: Float32Array, i: number): void {
    const head = this.current?.head ?? this.last;
    if (head !== this.last) this.begin(head!);
    const there = this.current?.take(this.a) ?? false;
    if (!there) this.a.fill(0);
    const dry = this.leave();
    const gap = !there && this.begun && this.current !== undefined && !this.current.ended;
    if (!there && this.current && !this.current.ended) this.late++;
    this.begun ||= there;
    const steps = dry || gap !== this.gap;
    this.gap = gap;
    for (const c of [0, 1] as const) {
      if (steps) this.step[c] = this.heard[c] - this.a[c];
      this.heard[c] = this.a[c] + this.step[c];
      this.step[c] *= DYING;
    }
    left[i] = this.heard[0];
    right[i] = this.heard[1];
  }

  /** Has the stream that goes cross with the one that comes; true if it ran dry before it was gone. */
  private leave(): boolean {
    if (!this.leaving) return false;
    const t = ++this.crossed / CROSSING;
    if (!this.leaving.take(this.b)) {
      this.leaving = undefined;
      return true;
    }
    this.a[0] = this.a[0] * t + this.b[0] * (1 - t);
    this.a[1] = this.a[1] * t + this.b[1] * (1 - t);
    if (this.crossed >= CROSSING) this.leaving = undefined;
    return false;
  }

  /** Another block is being heard. */
  private begin(block: Block): void {
    this.last = block;
    if (block.power < 0) return;
    this.powers.push(block.power);
    if (this.powers.length > POWERS) this.powers.shift();
  }

  /** Lets the next stream take over once it has the frame that the current one has reached, and some more. */
  private changeOver(): void {
    if (!this.next || this.leaving) return;
    const at = this.current?.frame;
    const { next, current } = this;
    if (at === undefined || next.jump) {
      if (!next.head) return;
    } else if (!next.seek(at) || (next.held < RESERVE && !next.ended && current!.held > CROSSING)) return;
    this.leaving = this.current;
    this.crossed = 0;
    if (next.jump) this.powers = [];
    this.current = this.next;
    this.next = undefined;
    this.tell({ type: "took", stream: this.current.stream });
  }

  private report(start: number | undefined): void {
    const more = this.next && !(this.next.ended && !this.next.head); // a change that came too late has nothing in it
    if (this.current?.ended && this.current.frame === undefined && !more) {
      this.current = undefined;
      this.tell({ type: "ended" });
      return;
    }
    if (++this.quanta % REPORT_EVERY !== 0 || !this.current) return;
    this.tell({
      type: "at",
      stream: this.current.stream,
      frame: start ?? -1,
      time: currentTime,
      playing: start !== undefined,
      peaks: this.last?.peaks ?? [0, 0],
      momentary: this.last?.momentary ?? -120,
      shortTerm: this.last?.shortTerm ?? -120,
      tracks: this.last?.tracks ?? [],
      powers: this.powers,
      late: this.late,
    });
  }
}

registerProcessor("ruvel-listening", Listening);
