import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";

const root = join(__dirname, "../..");
const files = (dir: string, ending: RegExp) =>
  readdirSync(join(root, dir), { recursive: true, encoding: "utf8" })
    .filter((f) => ending.test(f) && !/_test\.go$|schema\.d\.ts$|^stores/.test(f))
    .map((f) => ({ f: join(dir, f), text: readFileSync(join(root, dir, f), "utf8") }));

/** What a person reads: the texts of a template and of its attributes, and what stands between quotes in a script. */
function read({ f, text }: { f: string; text: string }): string[] {
  const template = /<template>([\s\S]*)<\/template>/.exec(text)?.[1] ?? "";
  const script = f.endsWith(".vue") ? (/<script[\s\S]*?<\/script>/g.exec(text)?.[0] ?? "") : text;
  const code = script.replace(/\/\*[\s\S]*?\*\//g, "").replace(/^\s*\/\/.*$/gm, "");
  const quoted = [...code.matchAll(/"((?:[^"\\\n]|\\.)*)"|`((?:[^`\\]|\\.)*)`/g)].map((m) => m[1] ?? m[2] ?? "");
  const between = [...template.matchAll(/>([^<>]+)</g)].map((m) => shown(m[1]!));
  const said = [...template.matchAll(/\b(?:title|label|aria-label|placeholder|explained)="([^"]*)"/g)].map(
    (m) => m[1]!,
  );
  return [...quoted.filter((q) => / |^[A-Z]/.test(q) && !/[[\]=]|^\./.test(q)).map(shown), ...between, ...said];
}

/** A text without the names of what is put into it. */
function shown(text: string): string {
  const words = (code: string) => [...code.matchAll(/["`]([^"`]*)["`]/g)].map((m) => m[1]).join(" ");
  return text.replace(/\{\{([\s\S]*?)\}\}/g, (_, code: string) => words(code)).replace(/\$\{[^}]*\}/g, "…");
}

const all = [
  ...files("ui/src", /\.(vue|ts)$/),
  ...files("core/edit", /\.go$/),
  ...files("core/review", /\.go$/),
  ...files("core/fit", /\.go$/),
];

describe("One word stands for one thing, as docs/terms.md has it", () => {
  it.each([
    ["cancel", /\bLeave it\b(?! out)|\bKeep it\b/],
    ["remove", /\b[Ff]orget\b|\b[Dd]iscard(ed)?\b(?!Days)/],
    ["end, or take out of the feed", /\b[Ww]ithdraw(n|s)?\b/],
    ["close", /\b[Pp]ut away\b/],
    ["choose", /\b[Ss]elect(ed|ion)?\b/],
    ["saved", /\bchanges kept\b|\bKeeping\b/],
    ["fill a length", /\bLoop (to|it)\b/],
    ["before or after", /^\s*[Tt]hen\s*$/],
    ["threshold", /^(Over|Under|Opens at)$/],
    ["look-ahead", /^Ahead$/],
  ])("%s", (_, out) => {
    expect(all.length).toBeGreaterThan(200);
    const found = all.flatMap((file) =>
      read(file)
        .filter((t) => out.test(t))
        .map((t) => `${file.f}: ${t.trim()}`),
    );
    expect(found).toEqual([]);
  });

  it("finds such words where they stand", () => {
    const page =
      '<script setup lang="ts">const a = `Loop to ${b}`;</script><template><p title="Put away">Then</p></template>';
    expect(read({ f: "x.vue", text: page })).toEqual(["Loop to …", "Then", "Put away"]);
  });
});
