/** Whether this is one of the machines on which a key of its own, Cmd, is what Ctrl is elsewhere. */
const MAC = /Mac|iP(hone|ad|od)/.test(globalThis.navigator?.platform ?? "");

/** Whether the key is held that means more of the same, a copy or another way: Ctrl, on a Mac Cmd. */
export function modified(event: { ctrlKey: boolean; metaKey: boolean }): boolean {
  return MAC ? event.metaKey : event.ctrlKey;
}

/** Whether a press asks for the menu: on a Mac also one with Ctrl. */
export function forMenu(event: { button: number; ctrlKey: boolean }): boolean {
  return event.button === 2 || (MAC && event.ctrlKey);
}

/** Keys by the names that they bear on this machine. */
export function keyNames(text: string): string {
  return MAC ? text.replaceAll("Ctrl", "Cmd").replaceAll("Alt", "Option") : text;
}
