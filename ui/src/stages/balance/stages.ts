import type { Schema } from "../../api/client";
import { figure, parseLevel } from "../../model/units";

/** A setting of a stage, as it is shown and typed. */
export interface Setting {
  key: string;
  name: string;
  min: number;
  max: number;
  step: number;
  text: (value: number) => string;
  parse: (text: string) => number | undefined;
}

/** The settings of a stage, by their names in the document. */
export type Values = Record<string, number | boolean | string>;

/** A stage of a treatment, as it is shown. */
export interface Stage {
  key: keyof Schema["Treatment"];
  name: string;
  /** What it is for, in a few words. */
  does: string;
  settings: Setting[];
}

function number(text: string): number | undefined {
  const value = Number.parseFloat(text.replace("−", "-").replace(",", "."));
  return Number.isFinite(value) ? value : undefined;
}

const level = (key: string, name: string, min: number, max: number): Setting => ({
  key,
  name,
  min,
  max,
  step: 0.5,
  text: (v) => `${figure(v)} dB`,
  parse: parseLevel,
});
const time = (key: string, name: string, min: number, max: number): Setting => ({
  key,
  name,
  min,
  max,
  step: max > 500 ? 5 : 0.5,
  text: (v) => `${Math.round(v * 10) / 10} ms`,
  parse: number,
});
const ratio = (max: number): Setting => ({
  key: "ratio",
  name: "Ratio",
  min: 1,
  max,
  step: 0.1,
  text: (v) => `${v.toFixed(1)}:1`,
  parse: number,
});

/** In the order in which the sound goes through them. */
export const STAGES: Stage[] = [
  {
    key: "lowCut",
    name: "Low cut",
    does: "takes rumble away",
    settings: [
      { key: "corner", name: "Below", min: 20, max: 250, step: 5, text: (v) => `${Math.round(v)} Hz`, parse: number },
    ],
  },
  {
    key: "gate",
    name: "Gate",
    does: "closes where nothing is said",
    settings: [
      level("open", "Opens at", -80, 0),
      level("close", "Closes at", -90, 0),
      level("range", "By", 1, 120),
      time("attack", "Attack", 0.1, 100),
      time("hold", "Hold", 0, 2000),
      time("release", "Release", 5, 2000),
      time("ahead", "Ahead", 0, 50),
    ],
  },
  {
    key: "expander",
    name: "Expander",
    does: "makes soft things softer",
    settings: [
      level("threshold", "Under", -80, 0),
      ratio(10),
      level("range", "At most", 1, 60),
      time("attack", "Attack", 0.1, 200),
      time("release", "Release", 5, 2000),
    ],
  },
  {
    key: "compressor",
    name: "Compressor",
    does: "makes loud things softer",
    settings: [
      level("threshold", "Over", -60, 0),
      ratio(20),
      level("knee", "Knee", 0, 24),
      time("attack", "Attack", 0.1, 200),
      time("release", "Release", 5, 2000),
      level("makeUp", "Make-up", -12, 24),
    ],
  },
  {
    key: "limiter",
    name: "Limiter",
    does: "keeps a ceiling",
    settings: [level("ceiling", "Ceiling", -20, 0), time("release", "Release", 5, 1000)],
  },
];
