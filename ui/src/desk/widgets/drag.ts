import { ref } from "vue";
import { forMenu } from "../../model/machine";

/** The fingers on the screen: two of them zoom and scroll, and drag nothing. */
const fingers = new Set<number>();
window.addEventListener("pointerdown", (e) => e.pointerType === "touch" && fingers.add(e.pointerId), true);
for (const end of ["pointerup", "pointercancel"] as const) {
  window.addEventListener(end, (e) => fingers.delete(e.pointerId), true);
}

/** Milliseconds for which a finger rests on something that can also be scrolled by, until it has taken hold of it. */
const HOLD_MS = 350;
/** How far, in pixels, a finger may move meanwhile; further, and it scrolls. */
const HOLD_ROOM = 9;

/**
 * One way to drag: a threshold before it counts, and from then on the pointer is captured; until then a press is a
 * click, or half of a double click, of whatever it meets. Esc, a second finger and whatever else takes the pointer away
 * break it off; when it is let go of unseen, or the window is left, it ends where it was.
 */
export interface Drag {
  /** How far the pointer has moved since it was pressed, in pixels. */
  dx: number;
  dy: number;
  event: PointerEvent;
}

export interface DragHandlers {
  /** Called before the first move. */
  begin?: (event: PointerEvent) => void;
  move: (drag: Drag) => void;
  /** Puts back what was moved, when the drag is broken off. */
  back?: () => void;
  /** Called at last, however it ended, with whether it had moved and was not broken off. */
  end?: (moved: boolean) => void;
  click?: (event: PointerEvent) => void;
  threshold?: number;
  /** A finger takes hold of it by resting on it; one that goes on at once scrolls, by this. */
  scroll?: (drag: Drag) => void;
}

/** Whether something is being dragged, or held by a finger: resting on it asks for no menu besides. */
export function isDragging(): boolean {
  return document.documentElement.classList.contains("dragging");
}

/** The same, to be followed. */
export const dragged = ref(false);

export function startDrag(event: PointerEvent, handlers: DragHandlers): void {
  if (event.button !== 0 || forMenu(event) || fingers.size > 1) return;
  event.stopPropagation();
  const mine = new AbortController();
  const root = document.documentElement;
  const cursor = getComputedStyle(event.target as Element).cursor;
  const { pointerId, clientX, clientY } = event;
  const byHolding = handlers.scroll !== undefined && event.pointerType === "touch";
  let [held, moved, scrolls] = [!byHolding, false, false];
  const holding = byHolding ? window.setTimeout(take, HOLD_MS) : 0;

  /** The root is never drawn anew: what was pressed may be, or go from one lane to another. */
  function capture(): void {
    if (moved || (byHolding && !held)) return;
    try {
      root.setPointerCapture(pointerId);
    } catch {
      return; // the pointer has gone already, which ends the drag
    }
    root.classList.add("dragging");
    dragged.value = true;
    root.style.setProperty("--dragged-cursor", cursor);
  }

  function take(): void {
    held = true;
    capture();
    navigator.vibrate?.(8);
  }

  function onMove(e: PointerEvent): void {
    if (e.pointerId !== pointerId) return;
    const drag = { dx: e.clientX - clientX, dy: e.clientY - clientY, event: e };
    const far = Math.hypot(drag.dx, drag.dy);
    if (!held && (scrolls ||= far > HOLD_ROOM)) {
      window.clearTimeout(holding);
      handlers.scroll!(drag);
    }
    if (!held) return;
    if (e.pointerType === "mouse" && e.buttons === 0) return finish(); // it was let go of unseen
    if (!moved && far < (handlers.threshold ?? 3)) return;
    if (!moved) {
      capture();
      handlers.begin?.(e);
    }
    moved = true;
    handlers.move(drag);
  }

  function finish(broken = false): void {
    if (mine.signal.aborted) return;
    mine.abort();
    window.clearTimeout(holding);
    root.classList.remove("dragging");
    dragged.value = false;
    if (root.hasPointerCapture(pointerId)) root.releasePointerCapture(pointerId);
    if (broken && held) handlers.back?.(); // a press may have done something by itself
    handlers.end?.(moved && !broken);
  }

  function release(e: PointerEvent): void {
    if (e.pointerId !== pointerId) return;
    if (e.type === "pointercancel") return finish(true);
    if (!moved && !scrolls && fingers.size === 0) handlers.click?.(e);
    finish();
  }

  function onKey(e: KeyboardEvent): void {
    if (e.key !== "Escape" || !moved) return;
    e.preventDefault();
    e.stopImmediatePropagation();
    finish(true);
  }

  // On the window: what was pressed may be drawn anew while it is dragged. Pressed again, it had been let go of unseen.
  const listening = { capture: true, signal: mine.signal };
  window.addEventListener("pointermove", onMove, listening);
  window.addEventListener("pointerup", release, listening);
  window.addEventListener("pointercancel", release, listening);
  window.addEventListener("pointerdown", (e) => finish(e.pointerId !== pointerId), listening);
  window.addEventListener("lostpointercapture", (e) => e.target === root && moved && finish(), listening);
  window.addEventListener("keydown", onKey, listening);
  window.addEventListener("blur", (e) => e.target === window && finish(), listening);
  // A finger that has taken hold of something scrolls no more.
  const still = { ...listening, passive: false };
  window.addEventListener("touchmove", (e) => held && byHolding && e.cancelable && e.preventDefault(), still);
}

let gestures = 0;

/** A name for a row of edits that are one step of the history. */
export function newGesture(): string {
  return `g${Date.now().toString(36)}-${++gestures}`;
}
