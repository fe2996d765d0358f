import type { Schema } from "../../api/client";
import { RATE } from "../../model/units";
import { useBalance } from "../../stores/balance";
import type { DeskContext } from "../state/context";

/** How near, in pixels, a dragged edge must come to something to snap to it. */
const REACH = 7;
/** Steps of the time grid, in seconds: the finest that has this many pixels to itself. */
const GRID = [0.01, 0.05, 0.1, 0.5, 1, 5, 10, 30, 60, 300];
const GRID_ROOM = 48;

/** Everything that a dragged edge can snap to: the playhead, clip edges, words, markers and a chosen range. */
export function snapPlaces(document: Schema["Document"], desk: DeskContext, except: string[] = []): number[] {
  const places = [0, desk.playhead.value];
  for (const track of document.tracks) {
    for (const [id, clip] of Object.entries(track.clips)) {
      if (!except.includes(id)) places.push(clip.start, clip.start + clip.length);
    }
  }
  for (const marker of Object.values(document.markers)) places.push(marker.at, marker.at + marker.length);
  // Words go with the clip that is dragged: what was spoken in it before holds nothing.
  const dragged = document.tracks.flatMap((t) => except.flatMap((id) => t.clips[id] ?? []));
  const spoken = useBalance().now?.spoken ?? [];
  for (const { from, to } of spoken.filter((s) => s.heard).flatMap((s) => s.spans)) {
    if (!dragged.some((c) => c.start <= from && c.start + c.length >= to)) places.push(from, to);
  }
  const { range } = desk.selection;
  if (range) places.push(range.from, range.to);
  return places;
}

/**
 * How far edges must be moved so that one of them meets a place, or, if none is near, the time grid; 0 if Alt is held.
 * A place is shown by a guide through all tracks.
 */
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
  return desk.guide.value === undefined ? toGrid(desk, edges[0]!) : by;
}

/** The grid pulls more weakly than things do. */
function toGrid(desk: DeskContext, edge: number): number {
  const step = (GRID.find((s) => (s * RATE) / desk.time.scale >= GRID_ROOM) ?? 600) * RATE;
  const by = Math.round(edge / step) * step - edge;
  return Math.abs(by) <= (REACH / 2) * desk.time.scale ? by : 0;
}
