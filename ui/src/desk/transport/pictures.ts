import { onScopeDispose, watch } from "vue";

/** Milliseconds from one picture to the next, at least and at most. */
const SHORTEST_MS = 33;
const LONGEST_MS = 50;
/** A picture is asked for so long before it is due: it comes with the next frame of the screen. */
const AHEAD_MS = 12;

/**
 * Makes pictures of what goes on for as long as it does, each when something has moved on by a pixel, which takes so many
 * milliseconds. However little changes in it, a picture takes some 12 ms of a core where there is no GPU; and a frame that is
 * asked for costs something although nothing changes in it.
 */
export function usePictures(goesOn: () => boolean, pixel: () => number, make: () => void): void {
  let timer = 0;
  let frame = 0;

  function next(): void {
    const after = Math.min(LONGEST_MS, Math.max(SHORTEST_MS, pixel()));
    timer = window.setTimeout(() => (frame = requestAnimationFrame(picture)), after - AHEAD_MS);
  }
  function picture(): void {
    make();
    next();
  }
  function stop(): void {
    window.clearTimeout(timer);
    cancelAnimationFrame(frame);
  }
  watch(goesOn, (on) => {
    stop();
    if (on) frame = requestAnimationFrame(picture);
  });
  onScopeDispose(stop);
}
