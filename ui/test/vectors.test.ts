import { describe, expect, it } from "vitest";
import type { Schema } from "../src/api/client";
import * as level from "../src/drawing/level";
import { wayAt } from "../src/drawing/way";
import type { Way } from "../src/model/way";
import written from "./vectors.json";

/** A function of the drawing, what it is given, and what the core makes of that: written by "go test ./ui -write". */
interface Vector {
  name: string;
  of: string;
  args: never[];
  at?: number[];
  want: number[];
}

const vectors = written as unknown as Vector[];
const gain = (dB: number) => (dB <= -120 ? 0 : 10 ** (dB / 20));

const functions: Record<string, (...args: never[]) => number | number[]> = {
  compressed: level.compressed,
  expanded: level.expanded,
  shapeGain: level.shapeGain,
  fadeGain: level.fadeGain,
  lineGain: (points: Schema["Point"][], at: number) => gain(level.levelAt(points, at)),
  wayGain: (way: Way, at: number) => gain(wayAt(way, at)),
  levelHere: (...args: Parameters<typeof level.levelHere>) => {
    const l = level.levelHere(...args);
    return [l.clipGain, l.clipLine, l.fade, l.hush, l.crossing, l.trackLine, l.fader, l.total, Number(l.inside)];
  },
};

describe("what is drawn follows the formulas that are heard", () => {
  it("there are vectors for each function", () => {
    for (const of of Object.keys(functions))
      expect(
        vectors.some((v) => v.of === of),
        of,
      ).toBe(true);
  });

  it.each(vectors.map((v) => [v.name, v] as const))("%s", (_, v) => {
    const f = functions[v.of]!;
    const got = v.at ? v.at.map((x) => f(...([...v.args, x] as never[])) as number) : (f(...v.args) as number[]);
    expect(got).toHaveLength(v.want.length);
    got.forEach((value, i) => {
      if (Math.abs(value - v.want[i]!) > 1e-6) expect(value, `value ${i}`).toBe(v.want[i]);
    });
  });
});
