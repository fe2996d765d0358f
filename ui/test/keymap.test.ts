import { describe, expect, it } from "vitest";
import { isSign, keyOf, shownKey } from "../src/desk/menus/keymap";

const pressed = (key: string, code: string, held: Partial<KeyboardEvent> = {}) =>
  keyOf({ key, code, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...held } as KeyboardEvent);

describe("Keys", () => {
  it.each([
    ["$mod+Shift+z", "Ctrl Shift Z"],
    ["Shift+?", "?"],
    ["+", "+"],
    ["Shift++", "+"],
    ["Alt+ArrowUp", "Alt ↑"],
    ["Shift+Digit7", "Shift 7"],
    ["Shift+Comma", "Shift ,"],
    ["Escape", "Esc"],
    ["F6", "F6"],
    ["", ""],
  ])("%s is told as %s", (key, told) => expect(shownKey(key)).toBe(told));

  // WCAG 2.2, 2.1.4: a letter (either case), a punctuation mark, a number or a symbol.
  it.each(["h", "Shift+h", "7", "Shift+Digit7", "/", "[", ",", "Shift+Comma", "+", "Shift++", "Shift+?", "-"])(
    "%s is a sign that is written",
    (key) => expect(isSign(key)).toBe(true),
  );
  it.each([
    "$mod+z",
    "Alt+Comma",
    "Space",
    "Enter",
    "Shift+Enter",
    "ArrowUp",
    "Delete",
    "F6",
    "Home",
    "Escape",
    "Shift+F10",
  ])("%s is none", (key) => expect(isSign(key)).toBe(false));

  it("is read as it was pressed, and waits while only others are held", () => {
    expect(pressed("h", "KeyH")).toBe("h");
    expect(pressed("H", "KeyH", { shiftKey: true })).toBe("Shift+h");
    expect(pressed("z", "KeyZ", { ctrlKey: true })).toBe("$mod+z");
    expect(pressed("z", "KeyZ", { metaKey: true })).toBe("$mod+z");
    expect(pressed("˙", "KeyH", { altKey: true })).toBe("Alt+KeyH");
    expect(pressed("&", "Digit7", { shiftKey: true })).toBe("Shift+Digit7");
    expect(pressed(" ", "Space")).toBe("Space");
    expect(pressed("F8", "F8")).toBe("F8");
    expect(pressed("Shift", "ShiftLeft", { shiftKey: true })).toBeUndefined();
  });
});
