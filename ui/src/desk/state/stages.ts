import type { Stage } from "./context";

/** The stages of the work by their names, in its order. */
export const STAGE_NAMES: Record<Stage, string> = {
  gather: "Gather",
  arrange: "Arrange",
  balance: "Balance",
  check: "Check",
  handover: "Hand over",
};
