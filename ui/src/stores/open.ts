import { ask, type Answer } from "../api/client";

/**
 * An episode that is open on the desk. Whatever is asked for it is given up when the desk is left, and an answer that
 * comes later changes nothing. Of several answers about the same thing only the one that was asked for last counts.
 */
export class OpenDesk {
  /** The show, once the episode is known. */
  show = "";
  private readonly leaving = new AbortController();
  private readonly asked = new Map<string, number>();

  /** What is being asked for, and whether it is to be asked for again after the answer. */
  private readonly asking = new Map<string, boolean>();

  constructor(readonly episode: string) {}

  get left(): boolean {
    return this.leaving.signal.aborted;
  }

  get signal(): AbortSignal {
    return this.leaving.signal;
  }

  leave(): void {
    this.leaving.abort();
  }

  /** Asks anew, one question about a thing at a time: what has changed meanwhile is asked for after the answer. */
  async refresh(what: string, question: () => Promise<void>): Promise<void> {
    if (this.asking.has(what)) {
      this.asking.set(what, true);
      return;
    }
    try {
      do {
        this.asking.set(what, false);
        await question();
      } while (this.asking.get(what) && !this.left);
    } finally {
      this.asking.delete(what);
    }
  }

  /** Asks for something and takes the answer in, unless the desk has been left or it was asked for anew. Throws a Refusal. */
  async load<T>(
    what: string,
    request: (signal: AbortSignal) => Promise<Answer<T>>,
    take: (data: T) => void,
  ): Promise<void> {
    const mine = (this.asked.get(what) ?? 0) + 1;
    this.asked.set(what, mine);
    const counts = () => !this.left && this.asked.get(what) === mine;
    try {
      const data = await ask(request(this.signal));
      if (counts()) take(data);
    } catch (error) {
      if (counts()) throw error;
    }
  }
}
