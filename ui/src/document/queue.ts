import { ref } from "vue";
import { Refusal, type Op } from "../api/client";
import { holdPage } from "../talk/leaving";
import type { Change, Document, Sheet } from "./sheet";

/** An edit, or how it is made of the document when its turn comes; undefined if there is nothing to do any more. Throws a Refusal. */
export type Making = Op | ((document: Document) => Op | undefined);
export type Step = "undo" | "redo";

/** How an act goes to the server; a step with a gesture is meant for that alone. Throws a Refusal. */
export type Post = (sheet: Sheet, op: Op | Step, base: number, gesture: string, again: boolean) => Promise<Change>;

/** Something on its way to the server: an edit of an episode, or a step through its history. */
interface Waiting {
  sheet: Sheet;
  act: Making | Step;
  /** The edits of a drag share it; any other edit has one of its own, by which it is known if it is sent again. */
  gesture: string;
  /** One of a drag: a later one replaces it. */
  drag: string;
  /** Is told of a refusal before it is said, and may say it itself. */
  refused?: (refusal: Refusal) => boolean;
  done: (change: Change | undefined) => void;
}

/** Why an act cannot be kept just now, by the code of the problem; it waits and is sent again. */
const PASSING: Record<string, string> = {
  unreachable: "Connection lost, your changes wait…",
  "database-away": "Database away, your changes wait…",
  "bucket-away": "Sounds out of reach, your changes wait…",
  "disk-full": "The disk is full, your changes wait…",
  "not-signed-in": "You are signed out, your changes wait…",
};
/** What is no fault worth a word. */
const NOTHING_LEFT = ["nothing-to-undo", "nothing-to-redo"];

/** Milliseconds between tries while an act waits. */
const FIRST_PAUSE = 200;
const LONGEST_PAUSE = 2000;
/** How often an act is made anew because others were faster. */
const MOST_CONFLICTS = 8;

let edits = 0;
const ownGesture = () => `e${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 8)}-${++edits}`;

/**
 * The acts of this window on their way to the server, one after the other, also when the desk that they belong to is
 * left meanwhile. What has no answer is sent again until it has one; what an act does is found out in the document of
 * its own desk, and once for each version: what was sent without an answer is sent again as it was.
 */
export class EditQueue {
  readonly busy = ref(false);
  /** Why what has been done waits, or nothing. */
  readonly stuck = ref("");
  private readonly waiting: Waiting[] = [];

  constructor(
    private readonly post: Post,
    private readonly tell: (refusal: Refusal, sheet: Sheet) => void,
    private readonly rest = (ms: number) => new Promise<unknown>((r) => setTimeout(r, ms)),
  ) {
    holdPage(() => this.busy.value);
  }

  /**
   * Sends an edit; of the edits of one gesture that wait, the latest replaces those before it. Resolves when the edit
   * has been kept, or with undefined if it was refused or replaced.
   */
  edit(sheet: Sheet, act: Making, gesture?: string, refused?: Waiting["refused"]): Promise<Change | undefined> {
    const drag = gesture ? `${sheet.episode} ${gesture} ${typeof act === "function" ? "" : act.type}` : "";
    const last = this.waiting[this.waiting.length - 1];
    if (drag && last?.drag === drag) {
      last.done(undefined);
      this.waiting.pop();
    }
    return this.add({ sheet, act, gesture: gesture ?? ownGesture(), drag, refused });
  }

  /** Goes a step back or forth in the history, as it is when the turn comes. */
  step(sheet: Sheet, act: Step): Promise<Change | undefined> {
    return this.add({ sheet, act, gesture: "", drag: "" });
  }

  /** Takes a gesture back that was broken off, as if it had never been begun; nothing if it has changed nothing. */
  takeBack(sheet: Sheet, gesture: string): Promise<Change | undefined> {
    while (this.waiting.length > 0 && this.waiting[this.waiting.length - 1]!.gesture === gesture) {
      this.waiting.pop()!.done(undefined);
    }
    return this.add({ sheet, act: "undo", gesture, drag: "" });
  }

  /** Resolves when everything that waits now has been dealt with. */
  async behind(sheet: Sheet): Promise<void> {
    if (this.busy.value) await this.edit(sheet, () => undefined);
  }

  private add(act: Omit<Waiting, "done">): Promise<Change | undefined> {
    return new Promise((done) => {
      this.waiting.push({ ...act, done });
      void this.run();
    });
  }

  private async run(): Promise<void> {
    if (this.busy.value) return;
    this.busy.value = true;
    for (let next = this.waiting.shift(); next; next = this.waiting.shift()) {
      next.done(await this.one(next).catch((error: unknown) => this.refuse(next!, error)));
      next.sheet.posted.value = 0;
      this.stuck.value = "";
    }
    this.busy.value = false;
  }

  /** Says why an act was not done; a fault of ours must not stop the acts behind it. */
  private async refuse(act: Waiting, error: unknown): Promise<undefined> {
    if (!(error instanceof Refusal)) console.error(error);
    const refusal =
      error instanceof Refusal
        ? error
        : new Refusal("This could not be done. Nothing was changed; try again.", "internal");
    if (act.refused?.(refusal) || NOTHING_LEFT.includes(refusal.code)) return undefined;
    if (refusal.code === "not-found") await act.sheet.reload().catch(() => undefined); // which finds out if the episode is gone
    if (!act.sheet.gone.value) this.tell(refusal, act.sheet);
    return undefined;
  }

  private async one(act: Waiting): Promise<Change | undefined> {
    const { sheet } = act;
    let silent = false;
    for (let tries = 0; tries < MOST_CONFLICTS; tries++) {
      const before = sheet.known.value;
      const op = typeof act.act === "function" ? before && act.act(before.document) : act.act;
      if (!before || !op) return undefined;
      const sent = await this.deliver(act, op, before.version, silent);
      if (!sent) return undefined;
      silent = sent.silent;
      if (sent.change) {
        if (silent || !sheet.take(sent.change)) await this.until(() => sheet.reload());
        return sent.change;
      }
      await this.until(() => sheet.reload());
      if (silent && typeof op === "string" && !act.gesture)
        return this.perhapsDone(act, op, before.version, before[op]);
    }
    throw new Refusal("Others change this session at the same time. Try again.", "version-conflict");
  }

  /**
   * Sends an act until it is answered: with a change, or without one if the version has moved on. Undefined: a later
   * act of the same drag does it all.
   */
  private async deliver(
    act: Waiting,
    op: Op | Step,
    base: number,
    silent: boolean,
  ): Promise<{ change?: Change; silent: boolean } | undefined> {
    for (let pause = FIRST_PAUSE; ; pause = Math.min(LONGEST_PAUSE, pause * 1.5)) {
      act.sheet.posted.value = base + 1;
      try {
        // It may have arrived, so an edit of its own is known by its gesture. One of a drag does no harm twice.
        const change = await this.post(act.sheet, op, base, act.gesture, silent && !act.drag);
        this.stuck.value = "";
        return { change, silent };
      } catch (error) {
        const { code } = error as Refusal;
        act.sheet.posted.value = 0;
        if (code === "version-conflict") return { silent };
        if (!(code in PASSING)) throw error;
        silent = true;
        this.stuck.value = PASSING[code]!;
        await this.rest(pause);
        if (act.drag && this.waiting[0]?.drag === act.drag) return undefined;
      }
    }
  }

  /** A step whose answer did not come, in a history that has moved on since. */
  private perhapsDone(act: Waiting, step: Step, base: number, name: string): undefined {
    const now = act.sheet.known.value;
    const other = step === "undo" ? now?.redo : now?.undo;
    if (now?.version === base + 1 && other === name) return undefined; // it had arrived
    throw new Refusal(
      `The session was changed elsewhere while the connection was lost. See what is there, and ${step} again.`,
      "version-conflict",
    );
  }

  /** Asks until there is an answer. */
  private async until(ask: () => Promise<void>): Promise<void> {
    for (let pause = FIRST_PAUSE; ; pause = Math.min(LONGEST_PAUSE, pause * 1.5)) {
      try {
        return await ask();
      } catch (error) {
        const { code } = error as Refusal;
        if (!(code in PASSING)) throw error;
        this.stuck.value = PASSING[code]!;
        await this.rest(pause);
      }
    }
  }
}
