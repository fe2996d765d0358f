import { isOurs } from "../api/ours";

/**
 * Sends the chunks of a take one after the other, each until the server has it on its disk. What the server says no
 * to for ever ends it; anything else, a lost network or a full disk, is tried again and again.
 */
export interface SenderEvents {
  kept: (chunks: number) => void;
  trouble: (message: string, final: boolean) => void;
  calm: () => void;
}

interface Waiting {
  seq: number;
  data: ArrayBuffer;
}

const PATIENCE_MS = 10_000;
const SLOWEST_MS = 3000;

export class Sender {
  private readonly waiting: Waiting[] = [];
  private sending: Promise<void> | undefined;
  private made = 0;
  /** How many chunks the server has on its disk. */
  sent = 0;
  private stopped = false;

  constructor(
    private readonly take: string,
    private readonly events: SenderEvents,
  ) {}

  get chunks(): number {
    return this.made;
  }

  add(samples: Float32Array<ArrayBuffer>): void {
    this.waiting.push({ seq: this.made++, data: samples.buffer });
    this.sending ??= this.run();
  }

  /** Resolves when everything has been sent. */
  async done(): Promise<void> {
    while (this.sending) await this.sending;
  }

  stop(): void {
    this.stopped = true;
    this.waiting.length = 0;
  }

  private async run(): Promise<void> {
    let pause = 200;
    let troubled = false;
    for (let next = this.waiting[0]; next && !this.stopped; next = this.waiting[0]) {
      const problem = await this.send(next);
      if (!problem) {
        if (troubled) this.events.calm();
        troubled = false;
        pause = 200;
        this.waiting.shift();
        this.sent = next.seq + 1;
        this.events.kept(this.sent);
        continue;
      }
      troubled = true;
      this.events.trouble(problem.message, problem.final);
      if (problem.final) {
        this.stop();
        break;
      }
      await new Promise((r) => setTimeout(r, pause));
      pause = Math.min(SLOWEST_MS, pause * 1.7);
    }
    this.sending = undefined;
  }

  private async send(chunk: Waiting): Promise<{ message: string; final: boolean } | undefined> {
    try {
      const answer = await fetch(`/api/takes/${this.take}/${chunk.seq}`, {
        method: "POST",
        headers: { "Content-Type": "application/octet-stream" },
        body: chunk.data,
        signal: AbortSignal.timeout(PATIENCE_MS),
      });
      if (!isOurs(answer.headers)) return { message: "The server cannot be reached.", final: false };
      if (answer.ok) return undefined;
      const problem = (await answer.json().catch(() => ({}))) as { code?: string; detail?: string };
      const final = ["take-closed", "take-full", "not-found", "bad-chunk", "chunk-missing"].includes(
        problem.code ?? "",
      );
      return { message: problem.detail ?? `The server answered ${answer.status}.`, final };
    } catch {
      return { message: "The server cannot be reached.", final: false };
    }
  }
}
