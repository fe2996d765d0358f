/** The fingers on the screen: two of them zoom, and drag nothing. */
const fingers = new Set<number>();
window.addEventListener("pointerdown", (e) => e.pointerType === "touch" && fingers.add(e.pointerId), true);
for (const end of ["pointerup", "pointercancel"] as const) {
  window.addEventListener(end, (e) => fingers.delete(e.pointerId), true);
}

/** One way to drag: pointer capture, a threshold before it counts; a second finger ends it. */
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
  const start = { x: event.clientX, y: event.clientY };
  let moved = false;
  element.setPointerCapture(event.pointerId);

  const onMove = (e: PointerEvent) => {
    if (fingers.size > 1) return stop(e);
    const drag = { dx: e.clientX - start.x, dy: e.clientY - start.y, event: e };
    if (!moved && Math.hypot(drag.dx, drag.dy) < threshold) return;
    if (!moved) handlers.begin?.(e);
    moved = true;
    handlers.move(drag);
  };
  const stop = (e: PointerEvent) => {
    element.removeEventListener("pointermove", onMove);
    element.removeEventListener("pointerup", stop);
    element.removeEventListener("pointercancel", stop);
    if (!moved && e.type === "pointerup" && fingers.size === 0) handlers.click?.(e);
    handlers.end?.(moved);
  };
  element.addEventListener("pointermove", onMove);
  element.addEventListener("pointerup", stop);
  element.addEventListener("pointercancel", stop);
}

let gestures = 0;

/** A name for a row of edits that are one step of the history. */
export function newGesture(): string {
  return `g${Date.now().toString(36)}-${++gestures}`;
}
