import { computed } from "vue";
import { keyNames } from "../../model/machine";
import { useKept } from "../state/kept";
import type { Act } from "../acts/lists/act";

/** The keys that a person has chosen, as they are kept with the browser and in a file. */
interface Keymap {
  /** Letters, digits and signs act by themselves. */
  letters: boolean;
  /** By act, in the place of those that it comes with; none for none. */
  own: Record<string, string[]>;
}

const SHOWN: Record<string, string> = {
  $mod: "Ctrl",
  ArrowLeft: "←",
  ArrowRight: "→",
  ArrowUp: "↑",
  ArrowDown: "↓",
  PageUp: "Page ↑",
  PageDown: "Page ↓",
  Comma: ",",
  Period: ".",
  Escape: "Esc",
  Semicolon: ";",
  Quote: "'",
  Backquote: "`",
  "-": "−",
};

/** A key as it is told: "Ctrl Shift Z". */
export function shownKey(key: string): string {
  if (key === "Shift+?") return "?";
  if (key === "Shift++") return "+";
  const parts = key === "+" ? ["+"] : key.split("+");
  const words = parts.map((p) => SHOWN[p] ?? p.replace(/^(Digit|Key|Numpad)/, ""));
  return keyNames(words.map((w) => (w.length === 1 ? w.toUpperCase() : w)).join(" "));
}

/** A sign that is written, alone or with Shift: what a voice that types, or a hand that slips, sets off by mistake (WCAG 2.2, 2.1.4). */
export function isSign(key: string): boolean {
  const last = key === "+" ? "+" : (key.split("+").pop() ?? "");
  const bare = !/\$mod|Control|Alt|Meta/.test(key);
  return (
    bare &&
    (last.length <= 1 ||
      /^(Digit|Key|Numpad\d|Comma|Period|Slash|Semicolon|Quote|Bracket|Minus|Equal|Backquote)/.test(last))
  );
}

/** A key as it was pressed; nothing while only keys are held that change others. */
export function keyOf(event: KeyboardEvent): string | undefined {
  if (["Shift", "Control", "Alt", "Meta", "CapsLock", "Dead"].includes(event.key)) return undefined;
  const mod = event.ctrlKey || event.metaKey ? "$mod+" : "";
  const held = `${mod}${event.altKey ? "Alt+" : ""}${event.shiftKey ? "Shift+" : ""}`;
  if (event.key === " ") return `${held}Space`;
  const letter = /^[a-z]$/i.test(event.key) && !event.altKey;
  const sign = event.key.length === 1 && !event.shiftKey && !event.altKey;
  return held + (letter ? event.key.toLowerCase() : sign ? event.key : event.code || event.key);
}

/** Whether something names a key, and no pattern of keys. */
const isKey = (key: unknown) => typeof key === "string" && key !== "" && key.length < 40 && !/\(.+\)/.test(key);

export function useKeymap() {
  const kept = useKept<Keymap>("ruvel-keys", { letters: true, own: {} });

  /** The keys of an act, whether letters act by themselves now or not. */
  const chosenFor = (act: Act) => kept.value.own[act.id] ?? act.keys;
  /** Those that work now. */
  const keysOf = (act: Act) => chosenFor(act).filter((key) => kept.value.letters || !isSign(key));
  const shownFor = (act: Act) => shownKey(keysOf(act)[0] ?? "");

  /** Gives a key to an act; the one that had it, which has it no more. */
  function give(act: Act, key: string, all: Act[]): Act | undefined {
    const had = all.find((a) => a.id !== act.id && chosenFor(a).includes(key));
    const own = { ...kept.value.own, [act.id]: [key] };
    if (had) own[had.id] = chosenFor(had).filter((k) => k !== key);
    kept.value = { ...kept.value, own };
    return had;
  }

  /** Reads what was exported; says what is wrong with it. */
  function read(text: string, all: Act[]): string {
    let there: Partial<Keymap> | undefined;
    try {
      there = JSON.parse(text) as Partial<Keymap>;
    } catch {
      return "This is no file of keys: it cannot be read.";
    }
    const own = there?.own;
    const good =
      typeof own === "object" &&
      own !== null &&
      Object.values(own).every((keys) => Array.isArray(keys) && keys.every(isKey));
    if (!good) return "This is no file of keys: it names none.";
    const ids = new Set(all.map((a) => a.id));
    const known = Object.fromEntries(Object.entries(own).filter(([id]) => ids.has(id)));
    kept.value = { letters: there.letters !== false, own: known };
    return "";
  }

  return {
    kept,
    changed: computed(() => Object.keys(kept.value.own).length > 0),
    chosenFor,
    keysOf,
    shownFor,
    give,
    read,
    reset: () => (kept.value = { ...kept.value, own: {} }),
  };
}
