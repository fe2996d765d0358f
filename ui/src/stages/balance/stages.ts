import type { Schema } from "../../api/client";
import { figure, parseLevel } from "../../model/units";

/** A setting of a stage, as it is shown and typed. */
export interface Setting {
  key: string;
  name: string;
  /** What it does, in a plain word. */
  plain?: string;
  /** Left out: by how far it goes. */
  step?: number;
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

const level = (key: string, name: string, plain?: string): Setting => ({
  key,
  name,
  plain,
  step: 0.5,
  text: (v) => `${figure(v)} dB`,
  parse: parseLevel,
});
const time = (key: string, name: string, plain?: string): Setting => ({
  key,
  name,
  plain,
  text: (v) => `${Math.round(v * 10) / 10} ms`,
  parse: number,
});
const ratio: Setting = {
  key: "ratio",
  name: "Ratio",
  step: 0.1,
  text: (v) => `${v.toFixed(1)}:1`,
  parse: number,
};

/** In the order in which the sound goes through them. */
export const STAGES: Stage[] = [
  {
    key: "lowCut",
    name: "Low cut",
    does: "takes rumble away",
    settings: [
      { key: "corner", name: "Cut-off", plain: "below", step: 5, text: (v) => `${Math.round(v)} Hz`, parse: number },
    ],
  },
  {
    key: "gate",
    name: "Gate",
    does: "closes where nothing is said",
    settings: [
      level("open", "Threshold", "opens at"),
      level("close", "Lower", "closes at"),
      level("range", "Range", "by"),
      time("attack", "Attack"),
      time("hold", "Hold"),
      time("release", "Release"),
      time("ahead", "Look-ahead", "before"),
    ],
  },
  {
    key: "expander",
    name: "Expander",
    does: "makes soft things softer",
    settings: [
      level("threshold", "Threshold", "under"),
      ratio,
      level("range", "Range", "at most"),
      time("attack", "Attack"),
      time("release", "Release"),
    ],
  },
  {
    key: "compressor",
    name: "Compressor",
    does: "makes loud things softer",
    settings: [
      level("threshold", "Threshold", "over"),
      ratio,
      level("knee", "Knee", "softly"),
      time("attack", "Attack"),
      time("release", "Release"),
      level("makeUp", "Make-up"),
    ],
  },
  {
    key: "limiter",
    name: "Limiter",
    does: "keeps a ceiling",
    settings: [level("ceiling", "Ceiling"), time("release", "Release")],
  },
];
