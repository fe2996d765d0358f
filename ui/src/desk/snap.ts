import type { Schema } from "../api/client";
import type { DeskContext } from "./context";

/** How near, in pixels, a dragged edge must come to something to snap to it. */
const REACH = 7;

/** Everything that a dragged edge can snap to: the playhead, clip edges and markers. */
export function snapPlaces(document: Schema["Document"], playhead: number, except: string[] = []): number[] {
  const places = [0, playhead];
  for (const track of document.tracks) {
    for (const [id, clip] of Object.entries(track.clips)) {
      if (!except.includes(id)) places.push(clip.start, clip.start + clip.length);
    }
  }
  for (const marker of Object.values(document.markers)) places.push(marker.at, marker.at + marker.length);
  return places;
}

/** How far edges must be moved so that one of them meets a place; 0 and no guide if none is near or Alt is held. */
export function snap(desk: DeskContext, places: number[], edges: number[], free: boolean): number {
  desk.guide.value = undefined;
  if (free) return 0;
  const reach = REACH * desk.time.scale;
  let best = reach + 1;
  let by = 0;
  for (const edge of edges) {
    for (const place of places) {
      if (Math.abs(place - edge) < best) {
        best = Math.abs(place - edge);
        by = place - edge;
        desk.guide.value = place;
      }
    }
  }
  return by;
}
