import { beforeEach, describe, expect, it } from "vitest";
import { Refusal } from "../src/api/client";
import { KeptField, unkeptWords } from "../src/talk/keeping";

describe("a text that keeps itself", () => {
  let there: { text: string; version: number };
  let line: (string | undefined)[];
  let sent: string[];
  let field: KeptField;
  let known: { text: string; version: number };
  let meanwhile: () => void;

  beforeEach(() => {
    there = { text: "Fog", version: 3 };
    known = { ...there };
    line = [];
    sent = [];
    meanwhile = () => undefined;
    field = new KeptField(
      {
        name: "The script",
        read: () => ({ value: known.text, base: known.version }),
        send: async (text, base) => {
          sent.push(text);
          const fate = line.shift();
          if (fate === "arrived") {
            there = { text, version: there.version + 1 };
            throw new Refusal("Ruvel does not answer.", "unreachable");
          }
          if (fate) throw new Refusal(`${fate}.`, fate);
          if (base !== there.version) throw new Refusal("changed", "script-changed");
          there = { text, version: there.version + 1 };
          meanwhile();
          known = { ...there };
          return there.version;
        },
        changed: {
          code: "script-changed",
          there: async () => {
            known = { ...there };
            return { value: there.text, base: there.version };
          },
        },
      },
      () => Promise.resolve(),
    );
    field.watched = 1;
  });

  it("shows what is typed, and then what is there", async () => {
    expect(field.value.value).toBe("Fog");
    field.type("Fog signal");
    expect([field.value.value, field.state.value, unkeptWords.value]).toEqual(["Fog signal", "typed", "Saving…"]);
    await field.keep();
    expect([there.text, field.value.value, field.state.value, unkeptWords.value]).toEqual([
      "Fog signal",
      "Fog signal",
      "kept",
      "",
    ]);
  });

  it("sends nothing where nothing was changed", async () => {
    field.type("Fo");
    field.type("Fog");
    await field.keep();
    expect(sent).toEqual([]);
    expect(unkeptWords.value).toBe("");
  });

  it("is sent again until it is there, and says so meanwhile", async () => {
    line = ["unreachable", "database-away", "disk-full"];
    field.type("Kept");
    const kept = field.keep();
    await Promise.resolve();
    await Promise.resolve();
    expect([field.state.value, unkeptWords.value]).toEqual(["waiting", "What you typed waits to be kept…"]);
    expect(field.problem.value).toContain("Not kept yet");
    await kept;
    expect([there.text, field.state.value, field.problem.value]).toEqual(["Kept", "kept", ""]);
  });

  it("goes on with what was typed while it was on its way", async () => {
    field.type("One");
    meanwhile = () => {
      meanwhile = () => undefined;
      field.type("One two");
    };
    await field.keep();
    expect([there.text, field.state.value]).toEqual(["One two", "kept"]);
  });

  it("never overwrites what somebody else has written since typing began: both are there", async () => {
    field.type("Mine");
    there = { text: "Theirs", version: 4 };
    known = { ...there }; // the page has heard of it, which does not make it read by this hand
    await field.keep();
    expect([there.text, field.state.value, field.value.value, field.theirs.value]).toEqual([
      "Theirs",
      "both",
      "Mine",
      "Theirs",
    ]);
    expect(unkeptWords.value).toBe("Something you typed is not kept yet");
    field.type("Mine, and more");
    await field.keep();
    expect([there.text, field.state.value]).toEqual(["Theirs", "both"]);
    await field.keepMine();
    expect([there.text, field.state.value]).toEqual(["Mine, and more", "kept"]);
  });

  it("lets the other text stand if that is chosen", async () => {
    field.type("Mine");
    there = { text: "Theirs", version: 4 };
    await field.keep();
    field.keepTheirs();
    expect([there.text, field.value.value, field.state.value, unkeptWords.value]).toEqual([
      "Theirs",
      "Theirs",
      "kept",
      "",
    ]);
  });

  it("knows its own text again, which arrived though its answer did not", async () => {
    line = ["arrived"];
    field.type("One");
    const kept = field.keep();
    field.type("One two"); // while it is on its way
    await kept;
    expect([there.text, field.state.value]).toEqual(["One two", "kept"]);
    expect(there.version).toBe(5);
  });

  it("makes no question of two who have written the same", async () => {
    field.type("Same");
    there = { text: "Same", version: 9 };
    await field.keep();
    expect(field.state.value).toBe("kept");
  });

  it("stays as it was typed where it is refused, with the reason", async () => {
    line = ["too-long"];
    field.type("Much");
    await field.keep();
    expect([field.state.value, field.problem.value, field.value.value]).toEqual(["refused", "too-long.", "Much"]);
    field.type("Less");
    await field.keep();
    expect([there.text, field.state.value]).toEqual(["Less", "kept"]);
  });
});
