import { describe, expect, it } from "vitest";
import { covered } from "../src/drawing/covering";
import { changedClips, changedRow } from "../src/drawing/dirty";
import { shared } from "../src/document/sharing";

function dice(seed: number): (sides: number) => number {
  let state = seed;
  return (sides) => {
    state = (state * 1664525 + 1013904223) % 2 ** 32;
    return Math.floor((state / 2 ** 32) * sides);
  };
}

describe("what lies wholly under others", () => {
  it("is found as by looking at each pair", () => {
    const die = dice(3);
    for (let round = 0; round < 500; round++) {
      const clips = Array.from({ length: die(12) }, () => ({ start: die(20), length: 1 + die(12) }));
      const pairs = clips.map((c, i) =>
        clips.slice(i + 1).some((o) => o.start <= c.start && o.start + o.length >= c.start + c.length),
      );
      expect(covered(clips), JSON.stringify(clips)).toEqual(pairs);
    }
  });
});

describe("what of a lane is drawn anew", () => {
  const clip = (start: number, length: number) => ({ start, length });

  it("is where clips have changed, come or gone", () => {
    const [a, b, c] = [clip(0, 10), clip(20, 10), clip(40, 10)];
    const before = [
      { id: "a", clip: a },
      { id: "b", clip: b },
      { id: "c", clip: c },
    ];
    expect(changedClips(before, [...before])).toBeUndefined();
    const moved = { id: "b", clip: clip(25, 10) };
    expect(changedClips(before, [before[0]!, moved, before[2]!])).toEqual({ from: 20, to: 35 });
    expect(changedClips(before, before.slice(0, 2))).toEqual({ from: 40, to: 50 });
    expect(changedClips(before.slice(1), before)).toEqual({ from: 0, to: 10 });
  });

  it("is where rows of points differ, with the neighbours that a line is drawn to", () => {
    const row = [1, 4, 7, 9].map((at) => ({ at, level: 0 }));
    const same = (a: { at: number; level: number }, b: { at: number; level: number }) =>
      a.at === b.at && a.level === b.level;
    const span = ({ at }: { at: number }) => ({ from: at, to: at });
    const other = row.map((p) => (p.at === 4 ? { at: 5, level: 0 } : p));
    expect(changedRow(row, [...row], same, span)).toBeUndefined();
    expect(changedRow(row, other, same, span)).toEqual({ from: 1, to: 7 });
    expect(changedRow(row, row.slice(0, 3), same, span)).toEqual({ from: 7, to: Infinity });
    expect(changedRow([], row, same, span)).toEqual({ from: -Infinity, to: Infinity });
    expect(changedRow(row, [{ at: 0, level: 0 }, ...row], same, span)).toEqual({ from: -Infinity, to: 1 });
  });
});

describe("what is as it was stays the same object", () => {
  it("all of it, or the parts that have not changed", () => {
    const before = { a: [1, { b: 2 }], c: { d: null, e: "x" } };
    expect(shared(before, structuredClone(before))).toBe(before);
    const after = shared(before, { a: [1, { b: 3 }], c: { d: null, e: "x" } });
    expect(after).toEqual({ a: [1, { b: 3 }], c: { d: null, e: "x" } });
    expect(after.c).toBe(before.c);
    expect(after.a).not.toBe(before.a);
    expect(shared<unknown>({ a: 1, b: undefined }, { a: 1, c: undefined })).toEqual({ a: 1, c: undefined });
    expect(shared<unknown>([1, 2], [1])).toEqual([1]);
  });
});
