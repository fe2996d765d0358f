import type { Schema } from "../api/client";

/** What a window is told. */
export type ToWindow =
  | { type: "told"; event: Schema["Told"] }
  | { type: "beat"; version: number }
  /** Whether events come; after they did not, what happened meanwhile was not told. */
  | { type: "line"; connected: boolean }
  /** Is anybody there? It is answered with the episode that is shown. */
  | { type: "there" };

/** What a window says: the episode that it shows, or that it shows none any more; still: it has been following it. */
export type FromWindow = { episode: string | undefined; still?: boolean };

/** A window, as the switchboard sees it. */
export interface Window {
  tell(message: ToWindow): void;
}

/** A stream of events of some episodes. */
export interface Stream {
  close(): void;
}
export interface Hears {
  opened(): void;
  told(event: Schema["Told"]): void;
  beat(beat: Schema["Beat"]): void;
  /** It broke off; final: it does not come back by itself. */
  lost(final: boolean): void;
}
export type OpenStream = (episodes: string[], hears: Hears) => Stream;

/** Milliseconds from one look at the line, and at the windows, to the next. */
export const LOOK_MS = 2000;
/** A line on which nothing has come for so long is dead: a beat comes every five seconds. */
const SILENCE_MS = 13_000;
/** A clock that has jumped by so much has slept, and its line with it. */
const SLEPT_MS = 8000;
/** A window that has not answered for so long is gone; if it was only frozen, it comes back with its next answer. */
const GONE_MS = 60_000;

/**
 * One stream of events for all windows of a browser, which may hold only six connections to a server. A window that
 * opens another episode has the stream asked for anew; the old one ends when the new one has begun, so that nothing
 * is missed in between.
 */
export class Switchboard {
  private readonly windows = new Map<Window, { episode: string; seen: number }>();
  private stream: Stream | undefined;
  private following = "";
  private connected = false;
  private heard = 0;
  private looked = 0;
  private opened = 0;

  constructor(
    private readonly open: OpenStream,
    private readonly now: () => number = () => Date.now(),
  ) {
    this.looked = this.now();
  }

  /** A window says what it shows, at first, when that changes, and when it is asked. */
  hear(window: Window, { episode, still }: FromWindow): void {
    const known = this.windows.get(window);
    if (episode === undefined) this.windows.delete(window);
    else this.windows.set(window, { episode, seen: this.now() });
    if (known?.episode === episode) return;
    if (still && !known) window.tell({ type: "line", connected: false }); // it was frozen, and taken for gone
    if (episode === undefined || !this.following.split(",").includes(episode)) this.reopen();
    else window.tell({ type: "line", connected: this.connected });
  }

  /** Looks now and then whether line and windows are alive. */
  look(): void {
    const now = this.now();
    const slept = now - this.looked > SLEPT_MS;
    this.looked = now;
    for (const [window, known] of this.windows) {
      if (slept) known.seen = now; // nobody could have answered
      if (now - known.seen > GONE_MS) this.windows.delete(window);
      else window.tell({ type: "there" });
    }
    if (this.windows.size === 0) this.reopen();
    else if (slept || now - this.heard > SILENCE_MS) {
      this.lose();
      this.stream?.close();
      this.stream = undefined;
      this.reopen();
    }
  }

  private reopen(): void {
    const episodes = [...new Set([...this.windows.values()].map((w) => w.episode))].sort();
    const before = this.stream; // which is kept until the new one has begun
    this.opened++;
    this.following = episodes.join();
    if (episodes.length === 0) {
      before?.close();
      this.stream = undefined;
      this.connected = false;
      return;
    }
    const mine = this.opened;
    const ours = () => mine === this.opened;
    this.heard = this.now();
    this.stream = this.open(episodes, {
      opened: () => {
        before?.close();
        if (!ours()) return;
        this.heard = this.now();
        this.connected = true;
        this.tellAll({ type: "line", connected: true });
      },
      told: (event) => {
        this.heard = this.now();
        this.tellAbout(event.of, { type: "told", event });
      },
      beat: (beat) => {
        this.heard = this.now();
        this.tellAbout(beat.of, { type: "beat", version: beat.version });
      },
      lost: (final) => {
        before?.close();
        if (!ours()) return;
        this.lose();
        if (final) this.heard = 0; // it is asked for anew at the next look
      },
    });
  }

  private lose(): void {
    this.connected = false;
    this.tellAll({ type: "line", connected: false });
  }

  private tellAll(message: ToWindow): void {
    for (const window of this.windows.keys()) window.tell(message);
  }

  private tellAbout(episode: string, message: ToWindow): void {
    for (const [window, w] of this.windows) if (w.episode === episode) window.tell(message);
  }
}

/** A stream over HTTP. */
export const openStream: OpenStream = (episodes, hears) => {
  const query = new URLSearchParams(episodes.map((e) => ["episode", e]));
  const source = new EventSource(`/api/events?${query}`);
  source.onopen = () => hears.opened();
  source.onerror = () => hears.lost(source.readyState === EventSource.CLOSED);
  source.onmessage = (message: MessageEvent<string>) => hears.told(JSON.parse(message.data) as Schema["Told"]);
  source.addEventListener("beat", (message: MessageEvent<string>) =>
    hears.beat(JSON.parse(message.data) as Schema["Beat"]),
  );
  return { close: () => source.close() };
};
