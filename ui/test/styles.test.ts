import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";

const src = join(__dirname, "../src");
const sheets = readdirSync(src, { recursive: true, encoding: "utf8" })
  .filter((f) => /\.(vue|css)$/.test(f) && !f.endsWith("tokens.css"))
  .map((f) => {
    const text = readFileSync(join(src, f), "utf8");
    return { f, css: f.endsWith(".vue") ? (text.split("<style")[1] ?? "") : text };
  });

describe("Colours, sizes of type and radii stand in one place", () => {
  it.each([
    ["a size of type", /font(-size)?:[^;]*\d(px|rem|pt)/],
    ["a radius", /border(-[a-z]+)*-radius:[^;]*\d(px|%)/],
    ["a colour", /:[^;{]*(#[0-9a-f]{3,8}\b|\brgba?\()/i],
  ])("%s is a token", (_, literal) => {
    expect(sheets.length).toBeGreaterThan(80);
    expect(sheets.filter(({ css }) => literal.test(css)).map(({ f }) => f)).toEqual([]);
  });
});
