/**
 * Draws what has changed, a little in every frame, so that the hand is never kept waiting: what is nearest to what can
 * be seen comes first, and until its turn comes a picture stays as it was.
 */
const BUDGET_MS = 3;

interface Waiting {
  draw: () => void;
  urgency: () => number;
}

const waiting = new Map<object, Waiting>();
let asked = false;

/** Asks for a drawing; one of the same thing that waits is replaced. The lower the urgency, the sooner. */
export function drawSoon(what: object, draw: () => void, urgency: () => number): void {
  waiting.set(what, { draw, urgency });
  if (!asked) {
    asked = true;
    requestAnimationFrame(some);
  }
}

export function drawNoMore(what: object): void {
  waiting.delete(what);
}

function some(): void {
  const until = performance.now() + BUDGET_MS;
  const order = [...waiting].map(([what, w]) => ({ what, w, at: w.urgency() })).sort((a, b) => a.at - b.at);
  for (const { what, w } of order) {
    if (performance.now() > until) break;
    waiting.delete(what);
    w.draw();
  }
  asked = waiting.size > 0;
  if (asked) requestAnimationFrame(some);
}
