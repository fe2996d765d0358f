import { applyPatch } from "fast-json-patch";
import { describe, expect, it } from "vitest";
import { patched, type Operation } from "../src/document/patch";

/** A document like those of sessions: tracks in a row, with clips by their ids. */
function session(tracks: number, clips: number) {
  const clip = (n: number) => ({ start: n * 100, length: 90, envelope: [{ at: 0, level: -n }] });
  return {
    tracks: Array.from({ length: tracks }, (_, t) => ({
      id: `t${t}`,
      fader: 0,
      clips: Object.fromEntries(Array.from({ length: clips }, (_, c) => [`c${t}-${c}`, clip(c)])),
    })),
    markers: {} as Record<string, unknown>,
  };
}

/** Numbers that look thrown, and are the same each time. */
function dice(seed: number): (sides: number) => number {
  let state = seed;
  return (sides) => {
    state = (state * 1664525 + 1013904223) % 2 ** 32;
    return Math.floor((state / 2 ** 32) * sides);
  };
}

describe("a document is patched", () => {
  it("as RFC 6902 has it, compared with another implementation, on a thousand thrown patches", () => {
    const die = dice(7);
    for (let round = 0; round < 1000; round++) {
      const before = session(1 + die(4), 1 + die(5));
      const t = die(before.tracks.length);
      const c = Object.keys(before.tracks[t]!.clips)[die(Object.keys(before.tracks[t]!.clips).length)]!;
      const kinds: Operation[] = [
        { op: "replace", path: `/tracks/${t}/clips/${c}/start`, value: die(1000) },
        { op: "add", path: `/tracks/${t}/clips/${c}/envelope/${die(2)}`, value: { at: die(9), level: 0 } },
        { op: "add", path: `/tracks/${die(before.tracks.length + 1)}`, value: { id: "new", fader: 0, clips: {} } },
        { op: "add", path: `/tracks/-`, value: { id: "last", fader: 0, clips: {} } },
        { op: "move", from: `/tracks/${t}`, path: `/tracks/${die(before.tracks.length)}` },
        { op: "add", path: "/markers/m~1a~0b", value: { at: 1 } },
        { op: "remove", path: `/tracks/${t}/clips/${c}` },
        { op: "remove", path: `/tracks/${t}` },
      ];
      const patch = [kinds[die(6)]!, kinds[die(kinds.length)]!];
      const copy = structuredClone(before);
      let theirs: unknown;
      try {
        theirs = applyPatch(structuredClone(before), patch as never, true).newDocument;
      } catch {
        expect(() => patched(before, patch)).toThrow();
        continue;
      }
      expect(patched(before, patch)).toEqual(theirs);
      expect(before).toEqual(copy);
    }
  });

  it("without touching what does not change", () => {
    const before = session(3, 4);
    const after = patched(before, [{ op: "replace", path: "/tracks/1/clips/c1-2/start", value: 7 }]);
    expect(after).not.toBe(before);
    expect(after.tracks[0]).toBe(before.tracks[0]);
    expect(after.tracks[2]).toBe(before.tracks[2]);
    expect(after.markers).toBe(before.markers);
    expect(after.tracks[1]).not.toBe(before.tracks[1]);
    expect(after.tracks[1]!.clips["c1-1"]).toBe(before.tracks[1]!.clips["c1-1"]);
    expect(after.tracks[1]!.clips["c1-2"]).not.toBe(before.tracks[1]!.clips["c1-2"]);
  });

  it("not at all where it names what is not there, and refuses what ours never say", () => {
    const before = session(2, 1);
    const copy = structuredClone(before);
    const wrong: Operation[] = [
      { op: "replace", path: "/tracks/9/fader", value: 1 },
      { op: "replace", path: "/tracks/0/solo", value: true },
      { op: "remove", path: "/markers/m1" },
      { op: "add", path: "/tracks/5", value: {} },
      { op: "add", path: "/tracks/01", value: {} },
      { op: "add", path: "/tracks/0/id/x", value: 1 },
      { op: "move", from: "/tracks/7", path: "/tracks/0" },
      { op: "copy", from: "/tracks/0", path: "/tracks/-" },
      { op: "replace", path: "tracks", value: 1 },
    ];
    for (const o of wrong) {
      const first: Operation = { op: "replace", path: "/tracks/0/fader", value: -6 };
      expect(() => patched(before, [first, o]), JSON.stringify(o)).toThrow();
      expect(before).toEqual(copy);
    }
  });

  it("also where a key looks like one of the language", () => {
    const after = patched(session(1, 1), [{ op: "add", path: "/markers/__proto__", value: { at: 1 } }]);
    expect(Object.keys(after.markers)).toEqual(["__proto__"]);
    expect(({} as { at?: number }).at).toBeUndefined();
  });
});
