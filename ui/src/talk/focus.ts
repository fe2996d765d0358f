import { useEventListener, useMutationObserver } from "@vueuse/core";

/** What can have the focus and be seen. */
const REACHED =
  'button:not(:disabled), input:not(:disabled), select:not(:disabled), textarea:not(:disabled), a[href], summary, [tabindex="0"]';
/** Parts of a page, which can have it themselves while nothing in them can. */
const PARTS = "main, aside, [role=dialog], [role=main]";
/** Milliseconds in which a dialog closes. */
const CLOSING = 400;
/** How long what is to have the focus may take to come. */
const PATIENCE = 6000;

type Find = () => HTMLElement | null | undefined;

/** Whether one works by keys just now. Whoever uses a pointer looks where it is; the keys are left to the desk then. */
let byKey = false;
/** Where the focus is to go on, as soon as that is there. */
let awaited: { find: Find; until: number } | undefined;
/** What had the focus last, and where it lay: all that it was in, and as which child. */
let last: { element: HTMLElement; path: { parent: Element; place: number }[] } | undefined;
/** The same outside of what is open over the page. */
let outside: typeof last;
let looking = false;
/** It was led on by Tab: at its end the page is left by that. */
let tabbed = false;

/** Uses something as soon as it is there, within two seconds. */
export function whenThere(find: Find, use: (there: HTMLElement) => void): void {
  const until = performance.now() + 2000;
  const look = () => {
    const there = find();
    if (there) use(there);
    else if (performance.now() < until) requestAnimationFrame(look);
  };
  look();
}

const seen = (e: HTMLElement) => e.isConnected && e.checkVisibility({ visibilityProperty: true });
const onPage = () => document.activeElement === null || document.activeElement === document.body;

/** The first in something that can have the focus. */
export function firstIn(within: Element): HTMLElement | undefined {
  if (within instanceof HTMLElement && within.matches(REACHED) && seen(within)) return within;
  return [...within.querySelectorAll<HTMLElement>(REACHED)].find(seen);
}

/**
 * After an act that a key has begun the focus goes on there, as soon as it is there, unless it is led elsewhere meanwhile. The
 * one way to say where that is; what says nothing is gone on from beside it (useFocusKeeper).
 */
export function goOn(find: Find | string): void {
  if (!byKey) return;
  const what = typeof find === "string" ? () => document.querySelector<HTMLElement>(find) : find;
  awaited = { find: what, until: performance.now() + PATIENCE };
  look();
}

/** Beside what is gone: what stands in its place, or before it, or else the part of the page that it was in. */
function beside(path: { parent: Element; place: number }[]): HTMLElement | undefined {
  for (const { parent, place } of path) {
    if (parent.contains(document.body) || !parent.isConnected || !parent.checkVisibility()) continue;
    const children = [...parent.children];
    const next = [...children.slice(place), ...children.slice(0, place).reverse()];
    for (const child of next) {
      const there = firstIn(child);
      if (there) return there;
    }
    if (parent instanceof HTMLElement && parent.matches(PARTS)) {
      parent.tabIndex = -1;
      return parent;
    }
  }
  return undefined;
}

/** What had the focus, if it can have it again, or what stands beside it. */
function of({ element, path }: NonNullable<typeof last>): HTMLElement | undefined {
  return seen(element) && element.matches(REACHED) ? element : beside(path);
}

function main(): HTMLElement | undefined {
  const there = document.querySelector<HTMLElement>("main");
  if (there) there.tabIndex = -1;
  return there ?? undefined;
}

/** Looks until the focus has gone on, or a person has led it elsewhere. */
function look(): void {
  if (looking) return;
  looking = true;
  const begun = performance.now();
  const step = () => {
    looking = false;
    const now = performance.now();
    if (awaited && now > awaited.until) awaited = undefined;
    const there = awaited?.find();
    if (there && seen(there) && !isCovered(there)) {
      awaited = undefined;
      there.focus();
      return;
    }
    const lost = byKey && !tabbed && onPage() && last !== undefined;
    // A dialog that closes gives it back by itself; what is disabled while it works has it again.
    const waits = lost && now - begun < (last!.element.isConnected ? 3000 : 500) && (awaited || isBusy(last!.element));
    if (lost && !waits && now - begun > 60) {
      const next = of(last!) ?? (outside && of(outside)) ?? main();
      next?.focus();
      if (!awaited) return;
    }
    if (awaited || lost) {
      looking = true;
      requestAnimationFrame(step);
    }
  };
  requestAnimationFrame(step);
}

/** Whether a dialog lies over it, which gives the focus back when it has closed. */
function isCovered(there: HTMLElement): boolean {
  const over = [...document.querySelectorAll<HTMLElement>(".el-overlay")].filter((o) => o.checkVisibility());
  return over.length > 0 && !over.some((o) => o.contains(there));
}

/** Whether what had the focus is only disabled, or lies in a dialog that is closing. */
function isBusy(element: HTMLElement): boolean {
  if (element.isConnected && element.matches(":disabled")) return true;
  return document.querySelector(".el-overlay.dialog-fade-leave-active, .el-overlay.fade-leave-active") !== null;
}

/** Never lets the focus of one who works by keys fall to the page. */
export function useFocusKeeper(): void {
  const first = { capture: true };
  useEventListener(
    window,
    "keydown",
    (event: KeyboardEvent) => {
      byKey = true;
      tabbed = event.key === "Tab";
      awaited = undefined; // whoever goes on is not led elsewhere
    },
    first,
  );
  useEventListener(
    window,
    "pointerdown",
    () => {
      byKey = false;
      awaited = undefined;
      // What a press has led away from is not come back to.
      window.setTimeout(() => onPage() && (last = outside = undefined));
    },
    first,
  );
  useEventListener(document, "focusin", (event: FocusEvent) => {
    const element = event.target as HTMLElement;
    // The head of a dialog is none of the page, of which there is one.
    element.closest(".el-dialog")?.querySelector(".el-dialog__header")?.setAttribute("role", "none");
    const path = [];
    for (let child: Element = element; child.parentElement; child = child.parentElement) {
      path.push({ parent: child.parentElement, place: [...child.parentElement.children].indexOf(child) });
    }
    last = { element, path };
    if (!element.closest(".el-overlay, .el-popper")) outside = last;
  });
  const check = () => byKey && !tabbed && last && onPage() && look();
  // What is open over the page is hidden a moment after it has lost the focus.
  useEventListener(document, "focusout", () => {
    window.setTimeout(check);
    window.setTimeout(check, CLOSING);
  });
  useMutationObserver(document.body, () => last && !last.element.isConnected && check(), {
    childList: true,
    subtree: true,
  });
  // A disabled control loses the focus without an event.
  useMutationObserver(document.body, check, { attributes: true, attributeFilter: ["disabled"], subtree: true });
}
