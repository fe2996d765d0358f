import { markRaw, reactive } from "vue";
import type { Schema } from "../../api/client";

type Track = Schema["Track"];

/** The least and the most that a track can be dragged to, in pixels. */
export const LOWEST = 48;
/** A track that is folded small shows where its clips lie, and their names. */
export const FOLDED = 27;
export const HIGHEST = 420;
const TALL = 230;
/** What a track takes at least that has not been dragged, and the most that it grows to by itself. */
const OWN = { voice: 76, music: 89, effect: 76 };
const GROWN = 290;
/** Room under the tracks for the button that adds one. */
const BELOW = 48;

/** A height in pixels; or the track's own, which grows while there is room for it. */
export type Size = number | "folded" | "small" | "tall" | "own";

/** How high the tracks are drawn. What has been dragged is kept in this browser, by episode. */
export class Heights {
  private readonly state = reactive({ room: 0, tracks: markRaw([]) as Track[], dragged: {} as Record<string, number> });

  constructor(private readonly episode: string) {
    try {
      this.state.dragged = JSON.parse(localStorage.getItem(this.key) ?? "{}") as Record<string, number>;
    } catch {
      // What cannot be read is left out.
    }
  }

  private get key(): string {
    return `ruvel-heights-${this.episode}`;
  }

  /** Says how much room there is for which tracks. */
  fit(room: number, tracks: Track[]): void {
    this.state.room = room;
    this.state.tracks = markRaw(tracks);
  }

  /** The height of a track: as it was dragged, or its own with its share of the room that is left. */
  of(track: Track): number {
    const { room, tracks, dragged } = this.state;
    const fixed = dragged[track.id];
    if (fixed !== undefined) return fixed;
    const growing = tracks.filter((t) => dragged[t.id] === undefined);
    const taken = tracks.reduce((sum, t) => sum + (dragged[t.id] ?? OWN[t.part]), BELOW);
    const share = growing.length > 0 ? Math.max(0, Math.floor((room - taken) / growing.length)) : 0;
    return Math.min(Math.max(GROWN, OWN[track.part]), OWN[track.part] + share);
  }

  set(ids: string[], size: Size): void {
    for (const id of ids) {
      if (size === "own") delete this.state.dragged[id];
      else if (size === "folded") this.state.dragged[id] = FOLDED;
      else {
        const pixels = size === "small" ? LOWEST : size === "tall" ? TALL : Math.round(size);
        this.state.dragged[id] = Math.min(HIGHEST, Math.max(LOWEST, pixels));
      }
    }
    localStorage.setItem(this.key, JSON.stringify(this.state.dragged));
  }
}

/** How wide the cards of the tracks are, in pixels. */
export function cardWidth(): number {
  return parseInt(getComputedStyle(document.documentElement).getPropertyValue("--card-width"));
}
