import { Refusal, type Schema } from "../api/client";
import type { Document } from "./sheet";

/** Finding things in a document by their ids. */

export function trackIn(document: Document | undefined, id: string): Schema["Track"] | undefined {
  return document?.tracks.find((t) => t.id === id);
}

export function trackOfClip(document: Document | undefined, clip: string): Schema["Track"] | undefined {
  return document?.tracks.find((t) => clip in t.clips);
}

export function clipIn(document: Document | undefined, id: string): Schema["Clip"] | undefined {
  return trackOfClip(document, id)?.clips[id];
}

/** Those of some clips that are there. None of them: a Refusal, since what was meant has gone meanwhile. */
export function clipsIn(document: Document, ids: string[]): { id: string; clip: Schema["Clip"]; track: string }[] {
  const there = ids.flatMap((id) => {
    const track = trackOfClip(document, id);
    return track ? [{ id, clip: track.clips[id]!, track: track.id }] : [];
  });
  if (ids.length > 0 && there.length === 0) throw gone(ids.length > 1 ? "The clips" : "The clip");
  return there;
}

/** The clips under a place, on one track or on all. */
export function clipsUnder(document: Document | undefined, place: number, track = ""): string[] {
  const rows = (document?.tracks ?? []).filter((t) => !track || t.id === track);
  return rows.flatMap((t) =>
    Object.entries(t.clips)
      .filter(([, c]) => c.start < place && c.start + c.length > place)
      .map(([id]) => id),
  );
}

/** Which part each clip is of those on a track that bear one name, as a split leaves them: "part 2 of 3". */
export function partNames(clips: Schema["Track"]["clips"]): Map<string, string> {
  const named = new Map<string, string[]>();
  const inTime = Object.entries(clips).sort(([, a], [, b]) => a.start - b.start);
  for (const [id, c] of inTime) named.set(c.name, [...(named.get(c.name) ?? []), id]);
  const out = new Map<string, string>();
  for (const ids of named.values()) {
    if (ids.length > 1) ids.forEach((id, i) => out.set(id, `part ${i + 1} of ${ids.length}`));
  }
  return out;
}

/** What an edit meant has been taken away before its turn came. */
export function gone(what: string): Refusal {
  return new Refusal(
    `${what} that this was meant for ${what.endsWith("s") ? "are" : "is"} not there any more.`,
    "gone",
  );
}
