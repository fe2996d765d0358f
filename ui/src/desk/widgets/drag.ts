/** The fingers on the screen: two of them zoom, and drag nothing. */
const fingers = new Set<number>();
window.addEventListener("pointerdown", (e) => e.pointerType === "touch" && fingers.add(e.pointerId), true);
for (const end of ["pointerup", "pointercancel"] as const) {
  window.addEventListener(end, (e) => fingers.delete(e.pointerId), true);
}

/**
 * One way to drag: a threshold before it counts, and from then on the pointer is captured; until then a press is a
 * click, or half of a double click, of whatever it meets. A second finger ends it.
 */
export interface Drag {
  /** How far the pointer has moved since it was pressed, in pixels. */
  dx: number;
  dy: number;
  event: PointerEvent;
}

export interface DragHandlers {
  /** Called before the first move; return false to let it be a click. */
  begin?: (event: PointerEvent) => void;
  move: (drag: Drag) => void;
  end?: (moved: boolean) => void;
  click?: (event: PointerEvent) => void;
  threshold?: number;
}

export function startDrag(event: PointerEvent, handlers: DragHandlers): void {
  if (event.button !== 0 || fingers.size > 1) return;
  event.stopPropagation();
  const element = event.currentTarget as HTMLElement;
  const threshold = handlers.threshold ?? 3;
  const { pointerId, clientX, clientY } = event;
  let moved = false;
  const ending = new AbortController();

  const onMove = (e: PointerEvent) => {
    if (e.pointerId !== pointerId) return;
    if (fingers.size > 1) return stop(e);
    const drag = { dx: e.clientX - clientX, dy: e.clientY - clientY, event: e };
    if (!moved && Math.hypot(drag.dx, drag.dy) < threshold) return;
    if (!moved) {
      if (element.isConnected) element.setPointerCapture(pointerId);
      handlers.begin?.(e);
    }
    moved = true;
    handlers.move(drag);
  };
  const stop = (e: PointerEvent) => {
    if (e.pointerId !== pointerId) return;
    ending.abort();
    if (!moved && e.type === "pointerup" && fingers.size === 0) handlers.click?.(e);
    handlers.end?.(moved);
  };
  // On the window: what was pressed may be drawn anew while it is dragged.
  const listening = { capture: true, signal: ending.signal };
  window.addEventListener("pointermove", onMove, listening);
  window.addEventListener("pointerup", stop, listening);
  window.addEventListener("pointercancel", stop, listening);
}

let gestures = 0;

/** A name for a row of edits that are one step of the history. */
export function newGesture(): string {
  return `g${Date.now().toString(36)}-${++gestures}`;
}
