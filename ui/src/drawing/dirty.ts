/** A stretch of session time, in frames. */
export interface Span {
  from: number;
  to: number;
}

/** What covers two stretches. */
export function both(a: Span | undefined, b: Span | undefined): Span | undefined {
  if (!a || !b) return a ?? b;
  return { from: Math.min(a.from, b.from), to: Math.max(a.to, b.to) };
}

interface Placed {
  id: string;
  clip: { start: number; length: number };
}

/** Where a lane looks otherwise after some of its clips have changed, come or gone; what has not is the very same object. */
export function changedClips(before: readonly Placed[], after: readonly Placed[]): Span | undefined {
  const was = new Map(before.map((c) => [c.id, c.clip]));
  let out: Span | undefined;
  const add = (c: Placed["clip"]) => (out = both(out, { from: c.start, to: c.start + c.length }));
  for (const { id, clip } of after) {
    const old = was.get(id);
    was.delete(id);
    if (old === clip) continue;
    add(clip);
    if (old) add(old);
  }
  was.forEach(add);
  return out;
}

/**
 * Where two rows of things that lie one after the other differ: from the last that both begin with to the first that
 * both end with.
 */
export function changedRow<T>(
  before: readonly T[],
  after: readonly T[],
  same: (a: T, b: T) => boolean,
  span: (thing: T) => Span,
): Span | undefined {
  let first = 0;
  const least = Math.min(before.length, after.length);
  while (first < least && same(before[first]!, after[first]!)) first++;
  if (first === before.length && first === after.length) return undefined;
  let last = 0;
  while (last < least - first && same(before[before.length - 1 - last]!, after[after.length - 1 - last]!)) last++;
  const from = after[first - 1];
  const to = after[after.length - last];
  return { from: from ? span(from).from : -Infinity, to: last > 0 && to ? span(to).to : Infinity };
}
