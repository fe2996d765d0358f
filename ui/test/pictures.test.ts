import { effectScope, nextTick, ref } from "vue";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { fallen } from "../src/desk/transport/meter";
import { usePictures } from "../src/desk/transport/pictures";

/** A screen with sixty frames a second. */
const FRAME_MS = 1000 / 60;

describe("pictures of what goes on", () => {
  beforeEach(() => {
    vi.useFakeTimers();
    vi.stubGlobal("window", globalThis);
    vi.stubGlobal("requestAnimationFrame", (make: () => void) =>
      setTimeout(make, FRAME_MS - (performance.now() % FRAME_MS)),
    );
    vi.stubGlobal("cancelAnimationFrame", (frame: number) => clearTimeout(frame));
  });
  afterEach(() => {
    vi.unstubAllGlobals();
    vi.useRealTimers();
  });

  async function pictures(pixel: number): Promise<{ count: () => number; on: { value: boolean }; end: () => void }> {
    const on = ref(false);
    let made = 0;
    const scope = effectScope();
    scope.run(() =>
      usePictures(
        () => on.value,
        () => pixel,
        () => made++,
      ),
    );
    on.value = true;
    await nextTick();
    return { count: () => made, on, end: () => scope.stop() };
  }

  it.each([
    ["goes by quickly", 1, 28, 31],
    ["takes two frames and a half", 40, 28, 31],
    ["goes by slowly", 400, 19, 21],
  ])("come twenty to thirty times a second where a pixel %s", async (_, pixel, least, most) => {
    const { count, end } = await pictures(pixel);
    await vi.advanceTimersByTimeAsync(1000);
    expect(count()).toBeGreaterThanOrEqual(least);
    expect(count()).toBeLessThanOrEqual(most);
    end();
  });

  it("end with it, and with the desk, and begin again", async () => {
    const { count, on, end } = await pictures(40);
    await vi.advanceTimersByTimeAsync(500);
    on.value = false;
    await nextTick();
    const before = count();
    await vi.advanceTimersByTimeAsync(1000);
    expect(count()).toBe(before);
    expect(vi.getTimerCount()).toBe(0);
    on.value = true;
    await nextTick();
    await vi.advanceTimersByTimeAsync(500);
    expect(count()).toBeGreaterThan(before);
    end();
    expect(vi.getTimerCount()).toBe(0);
  });

  it("show a level that falls by 43 dB in a second, however often they come", () => {
    expect(20 * Math.log10(fallen(1000))).toBeCloseTo(-43);
    expect(fallen(20) * fallen(30)).toBeCloseTo(fallen(50));
  });
});
