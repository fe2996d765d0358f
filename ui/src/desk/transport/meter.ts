/** The scale of level meters: from the lowest level that is shown to full scale, in dB. */
export const LOWEST = -48;
/** The levels that are written beside a meter. */
export const MARKS = [-48, -36, -24, -18, -12, -6, 0];

export function levelOf(amplitude: number): number {
  return amplitude > 1e-6 ? 20 * Math.log10(amplitude) : -120;
}

/** Where a level stands on the scale, 0 to 1. */
export function placeOn(level: number): number {
  return Math.min(1, Math.max(0, (level - LOWEST) / -LOWEST));
}

/** How fast a level falls: so many dB in a second. */
const FALL_DB = 43;

/** What is left of a level after so many milliseconds of falling, as a factor. */
export function fallen(ms: number): number {
  return 10 ** ((-FALL_DB * ms) / 20000);
}
