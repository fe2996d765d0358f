import type { Schema } from "../api/client";

/** How a track makes way. */
export interface Way {
  stretches: Schema["Span"][];
  /** dB under each of them. */
  drops: number[];
  settings: Schema["Way"];
}
