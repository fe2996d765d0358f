import type { Schema } from "../api/client";
import type { Way } from "../model/way";

/** What is to be drawn of a lane, in CSS pixels. */
export interface LanePicture {
  /** From the back to the front. */
  clips: { id: string; clip: Schema["Clip"] }[];
  /** Those of the track. */
  crossings: Schema["Crossing"][];
  track: Schema["Track"];
  /** The session frame at the left edge of the picture. */
  from: number;
  scale: number;
  width: number;
  height: number;
  /** A track that is folded small shows the heads of its clips alone. */
  folded: boolean;
  /** Whether the level lines of the clips, and that of the track over the whole lane, are shown. */
  lines: { clips: boolean; track: boolean };
  /** Whether what a treatment takes away is shown along the clips. */
  taken: boolean;
  /** How the track makes way for speech, if it does. */
  way: Way | undefined;
  /** Where it is spoken on the track, in order. */
  spoken: Schema["Span"][];
}

/** The height of a clip's head and of the line around it. */
export const HEAD = 18;
export const BORDER = 1;
