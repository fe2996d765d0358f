import { Sheet } from "../document/sheet";

/** An episode that is open on the desk. Whatever is asked for it is given up when the desk is left. */
export class OpenDesk {
  /** Its document, which outlives the desk as long as edits are on their way. */
  readonly sheet: Sheet;
  private readonly leaving = new AbortController();

  constructor(readonly episode: string) {
    this.sheet = new Sheet(episode);
  }

  /** The show, once the episode is known. */
  get show(): string {
    return this.sheet.known.value?.episode.show ?? "";
  }

  get left(): boolean {
    return this.leaving.signal.aborted;
  }

  get signal(): AbortSignal {
    return this.leaving.signal;
  }

  leave(): void {
    this.leaving.abort();
  }
}
