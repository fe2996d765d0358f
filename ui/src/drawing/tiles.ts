/** What the page and the thread that fetches peaks say to each other. */

/** A tile of peaks: some thousand in a row, at a level of which each peak stands for 4^level frames. */
export interface TileName {
  /** The id of a sound, or the address of something else that has peaks ("/shelf/…"). */
  of: string;
  level: number;
  index: number;
}

/** Peaks in a tile. */
export const TILE = 8192;

/** To the thread: tiles that are wanted, the most urgent first. */
export type Wanted = TileName[];

/** From the thread: a tile, or that it could not be had just now. */
export interface Arrived extends TileName {
  /** The lowest and the highest, in turn. */
  peaks: Int16Array<ArrayBuffer> | undefined;
}
