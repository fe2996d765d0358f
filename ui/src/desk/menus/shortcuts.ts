import { useEventListener } from "@vueuse/core";
import { createKeybindingsHandler } from "tinykeys";
import { computed } from "vue";
import type { DeskContext } from "../state/context";
import { isSign, keyOf, useKeymap } from "./keymap";
import { actList } from "../acts/lists/list";

/** What a text is typed into keeps all its keys, and so does what is open over the desk. */
const TYPED =
  'textarea, [contenteditable], select, input:not([type="checkbox"], [type="radio"], [type="range"], [type="button"], [readonly])';
const OPEN = ".el-dialog, .el-message-box, .el-popper, .menu";
/** What answers Space and Enter by itself, and what answers arrows. */
const ANSWERS =
  'button:not([data-stop^="track:"], [data-stop^="block:"], [data-stop^="flag:"]), a, label, summary, [role="switch"], [role="combobox"], input:not([readonly])';
const SLIDES = '[role="slider"], [role="tab"], input[type="radio"], [role="combobox"]';
const ALONG = ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Home", "End", "PageUp", "PageDown"];

/** Acts whose keys are no text. */
const EVERYWHERE = ["find", "panel"];

/** Keys that go on while they are held. */
const GOES_ON = [...ALONG, ",", ".", "+", "-"];

/** Lets keys do the acts of the desk. */
export function useShortcuts(desk: DeskContext): void {
  const acts = actList(desk);
  const { keysOf } = useKeymap();
  const handler = computed(() => {
    const bindings: Record<string, (event: KeyboardEvent) => void> = {};
    for (const act of acts) {
      for (const key of keysOf(act)) {
        bindings[key] = (event) => {
          event.preventDefault();
          act.run(event);
        };
      }
    }
    return createKeybindingsHandler(bindings, {
      ignore: (e) => e.isComposing || (e.repeat && !GOES_ON.includes(e.key)),
    });
  });

  /**
   * The control that the pointer touched last. One that was come to with the keyboard answers Space and Enter; one
   * that was only touched leaves them to the desk.
   */
  let touched: Element | null = null;
  let pressing = false;
  const first = { capture: true };
  const press = (event: PointerEvent) => {
    const at = event.target as Element;
    pressing = true;
    if (!at.closest(".el-popper")) touched = at.closest(ANSWERS); // a list that was opened by a touch
  };
  // What a press gives the focus to has it by the next frame.
  const release = () => void requestAnimationFrame(() => (pressing = false));
  useEventListener(window, "pointerdown", press, first);
  useEventListener(window, ["pointerup", "pointercancel"], release, first);
  useEventListener(window, "focusin", (event: FocusEvent) => {
    const at = event.target as Element;
    if (pressing) touched ??= at.closest(ANSWERS);
    else if (!touched?.contains(at)) touched = null;
  });

  function isTheirs(event: KeyboardEvent): boolean {
    const at = event.target as HTMLElement;
    if (event.defaultPrevented || !(at instanceof Element)) return true;
    if (at.closest(OPEN)) return true;
    if (at.closest(TYPED)) return !leadsOut(event);
    const space = event.key === " " || event.key === "Enter";
    const answers = at.closest(ANSWERS);
    if (space && answers && answers !== touched && !touched?.contains(at)) return true;
    return ALONG.includes(event.key) && !event.altKey && !event.ctrlKey && !event.metaKey && !!at.closest(SLIDES);
  }

  /** Out of a text, too, one key leads, and one finds what can be done. */
  function leadsOut(event: KeyboardEvent): boolean {
    const key = keyOf(event);
    return acts.some((a) => EVERYWHERE.includes(a.id) && keysOf(a).some((k) => k === key && !isSign(k)));
  }

  /** The button under the focus is not pressed by a Space that has played. */
  let spaced = false;
  useEventListener(window, "keydown", (event: KeyboardEvent) => {
    if (isTheirs(event)) return;
    handler.value(event);
    spaced = event.key === " " && event.defaultPrevented;
  });
  useEventListener(window, "keyup", (event: KeyboardEvent) => {
    if (event.key !== " " || !spaced) return;
    spaced = false;
    event.preventDefault();
  });
}
