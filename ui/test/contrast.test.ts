import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";

// Contrast as WCAG 2.2 defines it (relative luminance of sRGB, 1.4.3 and 1.4.11), of the roles that lie on each other.

const css = readFileSync(new URL("../src/styles/tokens.css", import.meta.url), "utf8");

/** The tokens of a rule and of those before it that it builds on. */
function tokens(night: boolean, more: boolean): Map<string, string> {
  const out = new Map<string, string>();
  const asked = css.indexOf("@media (prefers-contrast: more)");
  for (const m of css.matchAll(/:root(\[data-light="night"\])? \{([^}]*)\}/g)) {
    const inMore = m.index > asked && m.index < css.indexOf("@media (max-width: 1100px)");
    if ((m[1] && !night) || (inMore && !more) || m.index > css.indexOf("@media (max-width: 1100px)")) continue;
    for (const t of m[2]!.matchAll(/--([\w-]+): (#[0-9a-f]{6})/g)) out.set(t[1]!, t[2]!);
  }
  return out;
}

function luminance(colour: string): number {
  const [r, g, b] = [1, 3, 5]
    .map((i) => parseInt(colour.slice(i, i + 2), 16) / 255)
    .map((c) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4));
  return 0.2126 * r! + 0.7152 * g! + 0.0722 * b!;
}

function contrast(a: string, b: string): number {
  const [dark, light] = [luminance(a), luminance(b)].sort((x, y) => x - y);
  return (light! + 0.05) / (dark! + 0.05);
}

const TEXTS: [string, string[]][] = [
  ["ink", ["paper", "sheet", "rule", "voice-tint", "music-tint", "effect-tint", "voice-wash"]],
  ["ink-soft", ["paper", "sheet", "rule"]],
  ["ink-inverse", ["ink", "voice", "music", "effect", "alarm"]],
  ["alarm", ["paper", "sheet"]],
  ["deck-ink", ["deck"]],
  ["deck-ink-soft", ["deck"]],
  ["deck", ["deck-ink", "deck-alarm"]],
];
const MARKS: [string, string[]][] = [
  ["field", ["paper", "sheet"]],
  ["focus", ["paper", "sheet", "rule"]],
  ["focus-inverse", ["ink"]],
  ["deck-focus", ["deck"]],
  ["deck-rule", ["deck"]],
  ["deck-alarm", ["deck"]],
  ["deck-meter", ["deck", "deck-meter-off"]],
  ["voice", ["sheet", "voice-wash"]],
  ["music", ["sheet", "music-wash"]],
  ["effect", ["sheet", "effect-wash"]],
  ["alarm", ["paper", "sheet", "voice-wash", "music-wash", "effect-wash"]],
  ["ink", ["sheet", "rule"]], // a level line on its edge of paper
];

describe("What lies on each other can be told apart", () => {
  for (const night of [false, true]) {
    for (const more of [false, true]) {
      it(`${night ? "at night" : "by day"}${more ? ", with more contrast" : ""}`, () => {
        const of = tokens(night, more);
        expect(contrast(tokens(false, false).get("paper")!, "#000000")).toBeGreaterThan(19); // the formula: 21 is white
        const low = (pairs: [string, string[]][], least: number) =>
          pairs.flatMap(([a, grounds]) =>
            grounds
              .map((b) => [`${a} on ${b}`, contrast(of.get(a)!, of.get(b)!)] as const)
              .filter(([, c]) => !(c >= least))
              .map(([what, c]) => `${what}: ${c.toFixed(2)}`),
          );
        expect(low(TEXTS, more ? 7 : 4.5)).toEqual([]);
        expect(low(MARKS, more ? 4.5 : 3)).toEqual([]);
      });
    }
  }
});
