import { effectScope, nextTick, ref, type EffectScope } from "vue";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Answer } from "../src/api/client";
import { AGAIN_MS, useAsked, type Asked, type Question } from "../src/talk/asked";

/** A server that is asked, and answers when it is told to. */
class Server {
  readonly asked: { of: number; signal: AbortSignal; answer: (a: Answer<string>) => void }[] = [];

  ask(of: number, signal: AbortSignal): Promise<Answer<string>> {
    return new Promise((answer) => this.asked.push({ of, signal, answer }));
  }
  async answer(n: number, a: Answer<string>): Promise<void> {
    this.asked[n]!.answer(a);
    await vi.advanceTimersByTimeAsync(0);
  }
}

describe("something that is asked of the server", () => {
  let server: Server;
  let scope: EffectScope;
  const version = ref(1);
  const make = (more: Partial<Question<string>> = {}): Asked<string> =>
    scope.run(() =>
      useAsked({ when: () => version.value, rest: 300, ask: (signal) => server.ask(version.value, signal), ...more }),
    )!;

  beforeEach(() => {
    vi.useFakeTimers();
    server = new Server();
    scope = effectScope();
    version.value = 1;
  });
  afterEach(() => {
    scope.stop();
    vi.useRealTimers();
  });

  it("is answered to whoever has asked also where another question has overtaken theirs, but not where it was given up", async () => {
    const asked = make({ when: undefined });
    const done: string[] = [];
    void asked.refresh().then(() => done.push("first " + asked.answer.value));
    void asked.refresh().then(() => done.push("second " + asked.answer.value));
    await server.answer(0, { error: { code: "cancelled" } } as Answer<string>);
    expect(done).toEqual([]);
    await server.answer(1, { data: "there" });
    expect(done.sort()).toEqual(["first there", "second there"]);
    void asked.refresh().then(() => done.push("left"));
    asked.forget();
    await server.answer(2, { data: "too late" });
    expect(done).toContain("left");
    expect(asked.answer.value).toBeUndefined();
  });

  it("is asked at once, and again when the hand rests; what is known stays meanwhile", async () => {
    const asked = make();
    await vi.advanceTimersByTimeAsync(0);
    await server.answer(0, { data: "one" });
    expect([asked.answer.value, asked.asking.value]).toEqual(["one", false]);
    for (let i = 0; i < 15; i++) {
      version.value++;
      await nextTick();
      await vi.advanceTimersByTimeAsync(100);
    }
    expect(server.asked).toHaveLength(1);
    await vi.advanceTimersByTimeAsync(300);
    expect(server.asked.map((a) => a.of)).toEqual([1, 16]);
    expect(asked.answer.value).toBe("one");
    await server.answer(1, { data: "sixteen" });
    expect(asked.answer.value).toBe("sixteen");
  });

  it("that was left before its answer changes nothing", async () => {
    const take = vi.fn();
    const asked = make({ take });
    await vi.advanceTimersByTimeAsync(0);
    scope.stop();
    expect(server.asked[0]!.signal.aborted).toBe(true);
    await server.answer(0, { data: "late" });
    await vi.advanceTimersByTimeAsync(60_000);
    expect([take.mock.calls.length, asked.answer.value, server.asked.length]).toEqual([0, undefined, 1]);
  });

  it("is asked again after silence, and as long as the answer is not the last word", async () => {
    const asked = make({ final: (there) => there !== "so far" });
    await vi.advanceTimersByTimeAsync(0);
    await server.answer(0, { error: { code: "database-away", detail: "The database is away." } });
    expect(asked.problem.value).toBe("The database is away.");
    await vi.advanceTimersByTimeAsync(AGAIN_MS);
    await server.answer(1, { data: "so far" });
    expect([asked.answer.value, asked.problem.value]).toEqual(["so far", ""]);
    await vi.advanceTimersByTimeAsync(AGAIN_MS);
    await server.answer(2, { data: "all" });
    await vi.advanceTimersByTimeAsync(60_000);
    expect([asked.answer.value, server.asked.length]).toEqual(["all", 3]);
  });

  it("that is refused is not asked again by itself, and what was answered before is not so any more", async () => {
    const asked = make();
    await vi.advanceTimersByTimeAsync(0);
    await server.answer(0, { data: "one" });
    void asked.refresh();
    await server.answer(1, { error: { code: "no-beat", detail: "It has no beat." } });
    await vi.advanceTimersByTimeAsync(60_000);
    expect([asked.answer.value, asked.refusal.value?.code, server.asked.length]).toEqual([undefined, "no-beat", 2]);
  });

  it("another question is asked at once, and only its answer counts", async () => {
    const what = ref("a");
    const asked = make({ what: () => what.value });
    await vi.advanceTimersByTimeAsync(0);
    what.value = "b";
    await nextTick();
    expect([server.asked.length, asked.asking.value]).toEqual([2, true]);
    await server.answer(1, { data: "of b" });
    await server.answer(0, { data: "of a" });
    expect(asked.answer.value).toBe("of b");
  });

  it("that waits is never starved by a hand that moves on and on: each answer counts, and the next is asked for then", async () => {
    const asked = make({ waits: true, rest: undefined });
    await vi.advanceTimersByTimeAsync(0);
    for (let i = 0; i < 20; i++) {
      version.value++;
      await nextTick();
    }
    expect(server.asked).toHaveLength(1);
    await server.answer(0, { data: "old" });
    expect([asked.answer.value, server.asked.map((a) => a.of)]).toEqual(["old", [1, 21]]);
    await server.answer(1, { data: "new" });
    expect([asked.answer.value, server.asked.length]).toEqual(["new", 2]);
  });

  it("to which there is nothing to ask has no answer", async () => {
    const there = ref(true);
    const asked = make({
      what: () => there.value,
      ask: (signal) => (there.value ? server.ask(1, signal) : undefined),
    });
    await vi.advanceTimersByTimeAsync(0);
    await server.answer(0, { data: "one" });
    there.value = false;
    await nextTick();
    expect([asked.answer.value, asked.asking.value]).toEqual([undefined, false]);
  });
});
