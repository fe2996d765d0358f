import type { Schema } from "../api/client";
import { GATED, type Course } from "./courses";
import { makeUpOf } from "./level";
import { pixel } from "./tokens";

/** The stages that take something away, in the order in which the sound goes through them. */
export const CAUSES = ["gate", "expander", "compressor", "limiter"] as const;
export type Cause = (typeof CAUSES)[number];

/** Each has a pattern of its own besides its colour: whether a pixel of it is inked. */
export const PATTERNS: Record<Cause, (x: number, y: number) => boolean> = {
  gate: (x, y) => (x + y) % 4 < 2,
  expander: (x, y) => x % 3 === 0 && y % 3 === 0,
  compressor: () => true,
  limiter: (_, y) => y % 3 !== 2,
};

/** What a gate does, as a sign and in a word, by its number in a course; nothing where there is none. */
export const GATES: Record<number, { sign: string; word: string }> = {
  [GATED.open]: { sign: "○", word: "open" },
  [GATED.holding]: { sign: "◐", word: "holding" },
  [GATED.closed]: { sign: "●", word: "closed" },
};

/** So many dB taken away fill so much of a clip's body. */
const MOST_DB = 20;
const MOST_SHARE = 0.5;
/** The rows, in CSS pixels, in which the gate says what it does. */
const STATE_ROWS = 3;

/** Whether anything is to be seen of a treatment along the clips. */
export function isTreated(treatment: Schema["Treatment"] | undefined): boolean {
  return !!treatment && (["lowCut", ...CAUSES] as const).some((stage) => treatment[stage]?.on);
}

/** By how much each cause makes a track softer, in dB; what a compressor makes up for is left out. */
export function takenBy(course: Course, treatment: Schema["Treatment"] | undefined): Record<Cause, number> {
  const up = treatment?.compressor?.on ? makeUpOf(treatment.compressor) : 0;
  return {
    gate: Math.max(0, -course.gate),
    expander: Math.max(0, -course.expander),
    compressor: Math.max(0, up - course.compressor),
    limiter: Math.max(0, -course.limiter),
  };
}

/**
 * Draws, column by column, what is taken away as a band from the top edge, and what the gate does above it. What stays
 * the same along a lane is looked up once.
 */
export function reductionDrawer(
  to: { of: Uint32Array; width: number; height: number },
  treatment: Schema["Treatment"] | undefined,
  ratio: number,
): (x: number, bottom: number, course: Course) => void {
  const rows = Math.round(STATE_ROWS * ratio);
  const scale = (MOST_SHARE * to.height) / MOST_DB;
  const inks = CAUSES.map((cause) => ({ cause, colour: pixel(`took-${cause}`), inked: PATTERNS[cause] }));
  const gate = pixel("took-gate");
  return (x, bottom, course) => {
    if (course.gated === GATED.closed || (course.gated === GATED.holding && x % (4 * ratio) < 2 * ratio)) {
      for (let y = 0; y < Math.min(rows, bottom); y++) to.of[y * to.width + x] = gate;
    }
    const taken = takenBy(course, treatment);
    let top = course.gated ? rows : 0;
    for (const { cause, colour, inked } of inks) {
      const end = top + Math.round(Math.min(MOST_DB, taken[cause]) * scale);
      for (let y = top; y < Math.min(bottom, end); y++) if (inked(x, y)) to.of[y * to.width + x] = colour;
      top = end;
    }
  };
}
