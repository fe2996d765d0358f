import { computed, getCurrentScope, onScopeDispose, ref, shallowReactive, shallowRef, type ComputedRef } from "vue";
import type { Refusal, Schema } from "../api/client";
import { holdPage } from "./leaving";
import { tell } from "./tell";

/** What becomes of the fields of an object, by their names: what each said when it was read, and what it is to say. */
export type Revision = Record<string, Schema["Field"]>;

/** A text as it is known on the server, and that by which the server tells whether it is still so. */
export interface Reading {
  value: string;
  base: unknown;
}

/** How a field is read and kept. */
export interface Keeps {
  /** What it is called where it cannot be seen. */
  name: string;
  /** What it says as far as is known. */
  read: () => Reading;
  /**
   * Has it say something else, if it still is as it was read, and gives by what that is told from now on. Throws a
   * Refusal, with the code of `changed` if it is not. It may be called when its desk has been left.
   */
  send: (value: string, base: unknown) => Promise<unknown>;
  /** The code of a refusal because it was changed elsewhere meanwhile, and what it says now. */
  changed: { code: string; there: (refusal: Refusal) => Promise<Reading> };
  /** Milliseconds after the last change by hand after which it is kept by itself. */
  rest?: number;
}

/** Why something cannot be kept only for a while. */
const PASSING = ["unreachable", "database-away", "bucket-away", "disk-full"];
const FIRST_PAUSE = 300;
const LONGEST_PAUSE = 3000;

/**
 * - kept: it says what the server says.
 * - typed: it will be kept when the hand leaves it, or rests.
 * - keeping: it is on its way. waiting: it cannot be kept just now, and is sent again.
 * - refused: it cannot be kept as it is. both: somebody else has changed it meanwhile.
 */
export type KeepState = "kept" | "typed" | "keeping" | "waiting" | "refused" | "both";

/**
 * A field that keeps itself. What is typed into it stays until it has been kept, whatever becomes of the view that
 * it stands in, and never overwrites what somebody else has written since it was read: then both are there to choose from.
 */
export class KeptField {
  private readonly typed = shallowRef<string>();
  readonly state = ref<KeepState>("kept");
  readonly problem = ref("");
  /** What somebody else has written. */
  readonly theirs = shallowRef<string>();
  readonly value: ComputedRef<string> = computed(() =>
    this.state.value === "kept" ? this.keeps.read().value : (this.typed.value as string),
  );
  private base: unknown;
  private was = "";
  /** What was sent and has had no answer: it may have arrived. */
  private readonly unanswered = new Set<string>();
  private timer: ReturnType<typeof setTimeout> | undefined;
  private running: Promise<void> | undefined;

  constructor(
    public keeps: Keeps,
    private readonly pause = (ms: number) => new Promise<unknown>((r) => setTimeout(r, ms)),
  ) {}

  /** The hand has changed it. */
  type(value: string): void {
    const was = this.state.value;
    if (was === "kept") ({ value: this.was, base: this.base } = this.keeps.read());
    this.typed.value = value;
    if (was === "both") return; // it is chosen first
    if (was !== "keeping" && was !== "waiting") this.state.value = "typed";
    unkept.add(this);
    clearTimeout(this.timer);
    if (this.keeps.rest) this.timer = setTimeout(() => void this.keep(), this.keeps.rest);
  }

  /** Keeps what was typed; resolves when it has been, or when it cannot be. */
  async keep(): Promise<void> {
    clearTimeout(this.timer);
    if (this.running || this.state.value === "kept" || this.state.value === "both") return this.running;
    if (this.state.value === "typed" && this.typed.value === this.was) return this.done();
    return this.begin();
  }

  private async begin(): Promise<void> {
    this.running = this.run().finally(() => (this.running = undefined));
    return this.running;
  }

  private async run(): Promise<void> {
    this.state.value = "keeping";
    for (let pause = FIRST_PAUSE; ;) {
      const value = this.typed.value as string;
      try {
        this.base = await this.keeps.send(value, this.base);
        this.problem.value = "";
        if (this.typed.value === value) return this.done();
        pause = FIRST_PAUSE; // the hand has gone on meanwhile
      } catch (error) {
        const refusal = error as Refusal;
        const met = refusal.code === this.keeps.changed.code ? await this.meet(refusal) : undefined;
        if (met === "settled") return;
        if (met === "ours") continue;
        if (!met && !PASSING.includes(refusal.code)) return this.refuse(refusal);
        if (refusal.code === "unreachable") this.unanswered.add(value);
        this.state.value = "waiting";
        this.problem.value = `Not kept yet: ${refusal.message}`;
        await this.pause(pause);
        pause = Math.min(LONGEST_PAUSE, pause * 1.5);
      }
    }
  }

  /**
   * What stands there was not written on what was read here. It may be ours: it arrived, and its answer did not. If it is
   * another's, it is shown beside what was typed here.
   */
  private async meet(refusal: Refusal): Promise<"ours" | "settled" | "unknown"> {
    try {
      const there = await this.keeps.changed.there(refusal);
      if (there.value === this.typed.value) {
        this.done();
        return "settled";
      }
      if (this.unanswered.has(there.value)) {
        this.base = there.base;
        return "ours";
      }
      this.theirs.value = there.value;
      this.base = there.base;
      this.state.value = "both";
      this.problem.value = "";
      if (!this.watched)
        tell(`${this.keeps.name} was changed elsewhere while you wrote. Go back to see both and choose.`);
      return "settled";
    } catch {
      return "unknown";
    }
  }

  private refuse(refusal: Refusal): void {
    this.state.value = "refused";
    this.problem.value = refusal.message;
    if (!this.watched) tell(`${this.keeps.name}: ${refusal.message}`);
  }

  private done(): void {
    clearTimeout(this.timer);
    this.state.value = "kept";
    this.typed.value = this.theirs.value = undefined;
    this.problem.value = "";
    this.unanswered.clear();
    unkept.delete(this);
  }

  /** What was typed here is to stand, in the place of what the other has written. */
  async keepMine(): Promise<void> {
    this.state.value = "typed";
    this.theirs.value = undefined;
    await this.begin();
  }

  /** What the other has written is to stand. */
  keepTheirs(): void {
    this.done();
  }

  /** How many views show it; what happens to one that is out of sight is told. */
  watched = 0;
}

/** The fields that say something which has not been kept, of all desks. */
const unkept = shallowReactive(new Set<KeptField>());
const all = new Map<string, KeptField>();

const some = (...states: KeepState[]) => [...unkept].some((f) => states.includes(f.state.value));
/** What is said while something that was typed is not kept yet; nothing when all is. */
export const unkeptWords = computed(() => {
  if (some("waiting")) return "What you typed waits to be kept…";
  if (some("both", "refused")) return "Something you typed is not kept yet";
  return unkept.size > 0 ? "Saving…" : "";
});
holdPage(() => unkept.size > 0);

/** Sends all that was typed, as when the page is put away. */
export function keepAll(): void {
  for (const field of unkept) void field.keep();
}
globalThis.addEventListener?.("pagehide", keepAll);
globalThis.addEventListener?.("beforeunload", keepAll);

/**
 * A field by a key of its own, the same as long as something in it has not been kept. It keeps itself when the view
 * is left.
 */
export function useField(key: string, keeps: Keeps): KeptField {
  let field = all.get(key);
  if (field && field.state.value !== "kept") field.keeps = keeps;
  else all.set(key, (field = new KeptField(keeps)));
  const mine = field;
  mine.watched++;
  if (getCurrentScope()) {
    onScopeDispose(() => {
      mine.watched--;
      void mine.keep().then(() => mine.state.value === "kept" && all.get(key) === mine && all.delete(key));
    });
  }
  return mine;
}
