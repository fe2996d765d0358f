/** The level of an input as it is shown: peaks that fall slowly, a held peak, and a word for what is wrong. */
import type { Schema } from "../api/client";

export type Verdict = "nothing" | "silent" | "low" | "good" | "hot" | "clipped";

const HOLD_MS = 2000;
const MEMORY_MS = 4000;
const FALL_DB_PER_MS = 0.02;

export class InputLevel {
  /** dBFS of each side, falling. */
  shown: number[] = [];
  /** The highest of the last two seconds, dBFS. */
  held = -120;
  /** Stays until it is put away. */
  clipped = false;
  private heldAt = 0;
  private lastAt = 0;
  private readonly peaks: { at: number; db: number }[] = [];

  take(peaks: number[], now: number, limits: Schema["Limits"]): void {
    const db = peaks.map((p) => (p > 1e-6 ? 20 * Math.log10(p) : -120));
    const fallen = (now - this.lastAt) * FALL_DB_PER_MS;
    this.lastAt = now;
    this.shown = db.map((v, i) => Math.max(v, (this.shown[i] ?? -120) - fallen));
    const top = Math.max(-120, ...db);
    if (top >= this.held || now - this.heldAt > HOLD_MS) {
      this.held = top;
      this.heldAt = now;
    }
    if (top >= limits.clipped) this.clipped = true;
    this.peaks.push({ at: now, db: top });
    while (this.peaks[0] && now - this.peaks[0].at > MEMORY_MS) this.peaks.shift();
  }

  /** What the last seconds are like, by the limits for a voice. */
  verdict(limits: Schema["Limits"]): Verdict {
    if (this.clipped) return "clipped";
    const first = this.peaks[0];
    if (!first || this.lastAt - first.at < MEMORY_MS / 4) return "nothing";
    const top = Math.max(...this.peaks.map((p) => p.db));
    if (top < limits.silent) return "silent";
    if (top < limits.tooLow) return "low";
    return top > limits.hot ? "hot" : "good";
  }

  forgive(): void {
    this.clipped = false;
    this.peaks.length = 0;
  }
}
