import type { Schema } from "../../api/client";
import { compressed, expanded, makeUpOf } from "../../drawing/level";

/** A threshold of a treatment, as it stands on the axis of what comes in. */
export interface Mark {
  stage: "gate" | "expander" | "compressor";
  /** Its name among the settings of the stage. */
  key: string;
  at: number;
}

/** The thresholds of the stages that are on, in their order. */
export function marksOf({ gate, expander, compressor }: Schema["Treatment"]): Mark[] {
  const all: (Mark | undefined)[] = [
    gate?.on ? { stage: "gate", key: "open", at: gate.open } : undefined,
    expander?.on ? { stage: "expander", key: "threshold", at: expander.threshold } : undefined,
    compressor?.on ? { stage: "compressor", key: "threshold", at: compressor.threshold } : undefined,
  ];
  return all.filter((m) => m !== undefined);
}

/** What a treatment at rest makes of a steady level. */
export function outOf({ gate, expander, compressor, limiter }: Schema["Treatment"], level: number): number {
  let now = level;
  if (gate?.on && level < gate.open) now -= gate.range;
  if (expander?.on) now += expanded(expander, now);
  if (compressor?.on) now += compressed(compressor, now) + makeUpOf(compressor);
  return limiter?.on ? Math.min(now, limiter.ceiling) : now;
}

/** The outline of a histogram as a path on an axis, as high as it may be where most lies. */
export function outlineOf(h: Schema["Histogram"], x: (level: number) => number, bottom: number, tall: number): string {
  const most = Math.max(...h.bins);
  const steps = h.bins.map((share, i) => {
    const top = (bottom - (share / most) * tall).toFixed(1);
    return `L${x(h.lowest + i).toFixed(1)},${top}L${x(h.lowest + i + 1).toFixed(1)},${top}`;
  });
  return `M${x(h.lowest)},${bottom}${steps.join("")}L${x(0)},${bottom}Z`;
}

/** How much of the speech lies over a level. */
export function shareOver(h: Schema["Histogram"], level: number): number {
  return h.bins.reduce((sum, share, i) => sum + (h.lowest + i + 0.5 > level ? share : 0), 0);
}
