import { describe, expect, it } from "vitest";
import type { Block } from "../src/listening/protocol";
import { Ring } from "../src/listening/ring";

/** A block that begins with a session frame; each of its samples is the frame that it belongs to, on the right negative. */
function block(frame: number, frames: number): Block {
  const samples = new Float32Array(frames * 2);
  for (let i = 0; i < frames; i++) {
    samples[2 * i] = frame + i;
    samples[2 * i + 1] = -(frame + i);
  }
  return { type: "block", stream: 1, frame, peaks: [0, 0], momentary: 0, shortTerm: 0, power: -1, tracks: [], samples };
}

function rest(ring: Ring): number[] {
  const out: number[] = [];
  const frame: [number, number] = [0, 0];
  while (ring.take(frame)) {
    expect(frame[1]).toBe(-frame[0]);
    out.push(frame[0]);
  }
  return out;
}

describe("the blocks of a stream", () => {
  it("are given frame by frame, over their borders", () => {
    const ring = new Ring(1);
    ring.push(block(100, 3));
    ring.push(block(103, 2));
    expect([ring.held, ring.frame]).toEqual([5, 100]);
    expect(rest(ring)).toEqual([100, 101, 102, 103, 104]);
    expect([ring.held, ring.frame, ring.ended]).toEqual([0, undefined, false]);
    ring.push(block(105, 0));
    expect(ring.ended).toBe(true);
  });

  it("are thrown away before a frame, to the very one", () => {
    const ring = new Ring(1);
    for (let i = 0; i < 4; i++) ring.push(block(i * 10, 10));
    expect(ring.seek(17)).toBe(true);
    expect([ring.frame, ring.held]).toEqual([17, 23]);
    expect(ring.seek(17)).toBe(true);
    expect(ring.seek(30)).toBe(true);
    expect(rest(ring)).toEqual([30, 31, 32, 33, 34, 35, 36, 37, 38, 39]);
  });

  it("that begin a little ahead are waited for, and nothing of them is lost", () => {
    const ring = new Ring(1);
    ring.push(block(500, 10));
    expect(ring.seek(480)).toBe(false);
    expect([ring.frame, ring.held]).toEqual([500, 10]);
    expect(ring.seek(500)).toBe(true);
  });

  it("that are late, or belong to another round of a loop, go", () => {
    const ring = new Ring(1);
    ring.push(block(0, 10));
    ring.push(block(100_000, 10));
    ring.push(block(20, 10));
    expect(ring.seek(22)).toBe(true);
    expect(rest(ring)).toEqual([22, 23, 24, 25, 26, 27, 28, 29]);
    expect(ring.seek(30)).toBe(false);
    expect(ring.held).toBe(0);
  });
});
