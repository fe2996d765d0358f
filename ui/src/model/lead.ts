/** Where nobody speaks. */
export const NOBODY = -32768;
/** Frames of a figure of the lead. */
export const HOP = 4800;
