interface Lying {
  start: number;
  length: number;
}

/**
 * Which of some clips lie wholly under one that is drawn after them: for each, in their order, from the back to the front.
 */
export function covered(clips: readonly Lying[]): boolean[] {
  const out = new Array<boolean>(clips.length).fill(false);
  // Of those in front: none lies within another, so that their ends are in the same order as their starts.
  const front: { start: number; end: number }[] = [];
  for (let i = clips.length - 1; i >= 0; i--) {
    const { start, length } = clips[i]!;
    const end = start + length;
    const after = firstAfter(front, start);
    if (after > 0 && front[after - 1]!.end >= end) {
      out[i] = true;
      continue;
    }
    let first = after;
    while (first > 0 && front[first - 1]!.start >= start) first--;
    let last = first;
    while (last < front.length && front[last]!.end <= end) last++;
    front.splice(first, last - first, { start, end });
  }
  return out;
}

/** The index of the first that starts after a time. */
function firstAfter(row: { start: number }[], time: number): number {
  let [low, high] = [0, row.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (row[middle]!.start > time) high = middle;
    else low = middle + 1;
  }
  return low;
}
