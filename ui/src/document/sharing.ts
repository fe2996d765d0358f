/** Gives a value in which everything that is as it was before is the very same object as before. */
export function shared<T>(before: T | undefined, after: T): T {
  if (before === after || typeof before !== "object" || typeof after !== "object") return after;
  if (before === null || after === null || Array.isArray(before) !== Array.isArray(after)) return after;
  const [was, now] = [before as Record<string, unknown>, after as Record<string, unknown>];
  const keys = Object.keys(now);
  let same = Object.keys(was).length === keys.length;
  const out = (Array.isArray(after) ? [] : {}) as Record<string, unknown>;
  for (const key of keys) {
    out[key] = shared(was[key], now[key]);
    same &&= Object.hasOwn(was, key) && out[key] === was[key];
  }
  return same ? before : (out as T);
}
