import { ref } from "vue";
import { describe, expect, it } from "vitest";
import type { DeskContext } from "../src/desk/state/context";
import { snap } from "../src/desk/lanes/snap";

/** A desk on which a pixel stands for so many frames. */
function desk(scale: number): DeskContext {
  return { time: { scale }, guide: ref<number>() } as unknown as DeskContext;
}

describe("a dragged edge", () => {
  it("meets the nearest place within seven pixels, and shows it", () => {
    const d = desk(100);
    expect(snap(d, [48_000, 48_900], [48_500], false)).toBe(400);
    expect(d.guide.value).toBe(48_900);
    expect(snap(d, [48_000], [48_700], false)).toBe(-700);
    expect(snap(d, [100_000], [101_001], false)).not.toBe(-1001);
    expect(d.guide.value).toBeUndefined();
  });

  it("is whichever of several comes nearest", () => {
    const d = desk(100);
    expect(snap(d, [1_000_000], [900_000, 1_000_300], false)).toBe(-300);
    expect(d.guide.value).toBe(1_000_000);
  });

  it("lets go of everything with Alt", () => {
    const d = desk(100);
    d.guide.value = 5;
    expect(snap(d, [48_000], [48_001], true)).toBe(0);
    expect(d.guide.value).toBeUndefined();
  });

  it("is pulled more weakly to the grid where nothing is near: at 100 frames a pixel, to tenths of seconds", () => {
    const d = desk(100);
    expect(snap(d, [], [48_300], false)).toBe(-300);
    expect(snap(d, [], [48_351], false)).toBe(0);
    expect(snap(d, [], [52_500], false)).toBe(300);
    expect(d.guide.value).toBeUndefined();
  });
});
