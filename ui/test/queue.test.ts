import { beforeEach, describe, expect, it, vi } from "vitest";
import { Refusal, type Op } from "../src/api/client";
import { clipsIn } from "../src/document/parts";
import { EditQueue, type Making, type Post } from "../src/document/queue";
import { Sheet, type Change, type Document, type Known } from "../src/document/sheet";

/** A server with episodes of one clip each, of which edits set the gain; its line can be cut and held. */
class Server {
  readonly episodes = new Map<
    string,
    { version: number; gain: number; gestures: string[]; past: number[]; undone: boolean }
  >();
  readonly asked: { episode: string; op: Op | string; base: number; again: boolean }[] = [];
  /** What becomes of the next requests: "lost" on the way there, "arrived" with the answer lost, "proxy". */
  line: ("lost" | "arrived" | "full")[] = [];

  sheet(episode: string, gain: number): Sheet {
    this.episodes.set(episode, { version: 1, gain, gestures: [], past: [], undone: false });
    const sheet = new Sheet(episode);
    sheet.reload = async () => {
      const there = this.episodes.get(episode);
      if (!there) {
        sheet.gone.value = true;
        throw new Refusal("This episode does not exist.", "not-found");
      }
      sheet.known.value = this.known(episode);
    };
    sheet.known.value = this.known(episode);
    return sheet;
  }

  private known(episode: string): Known {
    const { version, gain, past, undone } = this.episodes.get(episode)!;
    const document = { tracks: [{ id: "t1", clips: { c1: { gain } } }], markers: {} } as unknown as Document;
    const [undo, redo] = [past.length ? "Gain" : "", undone ? "Gain" : ""];
    return { document, version, undo, redo, showName: "", keptAt: "" } as unknown as Known;
  }

  readonly post: Post = async (sheet, op, base, gesture, again) => {
    this.asked.push({ episode: sheet.episode, op, base, again });
    const fate = this.line.shift();
    if (fate === "lost") throw new Refusal("Ruvel does not answer.", "unreachable");
    if (fate === "full") throw new Refusal("The disk is full.", "disk-full");
    const answer = this.carryOut(sheet.episode, op, base, gesture, again);
    if (fate === "arrived") throw new Refusal("Ruvel does not answer.", "unreachable");
    return answer;
  };

  private carryOut(episode: string, op: Op | string, base: number, gesture: string, again: boolean): Change {
    const there = this.episodes.get(episode);
    if (!there) throw new Refusal("This episode does not exist.", "not-found");
    if (again && there.gestures.includes(gesture)) return { episode, version: there.version } as Change;
    if (base !== there.version) throw new Refusal("changed meanwhile", "version-conflict", there.version);
    const before = there.gain;
    if (typeof op === "string") {
      if (there.past.length === 0) throw new Refusal("There is nothing to undo.", "nothing-to-undo");
      there.gain = there.past.pop()!;
    } else if (op.type === "set-clips") {
      there.gain = op.clips[0]!.gain!;
      there.gestures.push(gesture);
      there.past.push(before);
    } else throw new Refusal("The clip is not there.", "unknown-clip");
    there.version++;
    there.undone = typeof op === "string";
    const patch = [{ op: "replace", path: "/tracks/0/clips/c1/gain", value: there.gain }];
    const undo = there.past.length ? "Gain" : "";
    const redo = there.undone ? "Gain" : "";
    return { episode, version: there.version, patch, undo, redo, glance: {}, changed: "" } as unknown as Change;
  }
}

const louder =
  (by: number): Making =>
  (document) => ({
    type: "set-clips",
    clips: clipsIn(document, ["c1"]).map(({ id, clip }) => ({ clip: id, gain: clip.gain + by })),
  });

describe("edits on their way", () => {
  let server: Server;
  let told: string[];
  let queue: EditQueue;
  let rest: () => Promise<unknown>;

  beforeEach(() => {
    server = new Server();
    told = [];
    rest = () => Promise.resolve();
    queue = new EditQueue(
      server.post,
      (refusal) => void told.push(refusal.message),
      () => rest(),
    );
  });

  it("mean what their hand saw: on a slow line, with another episode laid on the desk meanwhile", async () => {
    const first = server.sheet("first", -12);
    const second = server.sheet("second", 3);
    const done = [queue.edit(first, louder(1)), queue.edit(first, louder(1)), queue.edit(second, louder(-1))];
    await Promise.all(done);
    expect(server.episodes.get("first")!.gain).toBe(-10);
    expect(server.episodes.get("second")!.gain).toBe(2);
    expect(told).toEqual([]);
  });

  it("that find nothing any more are refused with a sentence, and do not stop those behind them", async () => {
    const sheet = server.sheet("e", 0);
    const missing: Making = (document) => {
      clipsIn(document, ["c9"]);
      return undefined;
    };
    const [none, some] = await Promise.all([queue.edit(sheet, missing), queue.edit(sheet, louder(2))]);
    expect(none).toBeUndefined();
    expect(some?.version).toBe(2);
    expect(told).toEqual(["The clip that this was meant for is not there any more."]);
  });

  it("a fault of ours does not stop them either", async () => {
    const sheet = server.sheet("e", 0);
    const quiet = vi.spyOn(console, "error").mockImplementation(() => undefined);
    const fault: Making = () => {
      throw new TypeError("a mistake");
    };
    await Promise.all([queue.edit(sheet, fault), queue.edit(sheet, louder(2))]);
    expect(server.episodes.get("e")!.gain).toBe(2);
    expect(told).toEqual(["This could not be done. Nothing was changed; try again."]);
    quiet.mockRestore();
  });

  it.each([
    [["lost"], 1],
    [["arrived"], 1],
    [["lost", "arrived", "lost"], 1],
    [["full", "lost"], 1],
  ] as const)("are sent again as they were after silence (%j), and done once", async (line, by) => {
    const sheet = server.sheet("e", -12);
    server.line = [...line];
    const waits: string[] = [];
    rest = async () => void waits.push(queue.stuck.value);
    await queue.edit(sheet, louder(by));
    expect(server.episodes.get("e")!.gain).toBe(-11);
    expect(sheet.known.value!.document.tracks[0]!.clips.c1!.gain).toBe(-11);
    expect(new Set(server.asked.map((a) => JSON.stringify(a.op))).size).toBe(1);
    expect(waits).toHaveLength(line.length);
    expect(waits.every((w) => w.endsWith("your changes wait…"))).toBe(true);
    expect(queue.stuck.value).toBe("");
    expect(told).toEqual([]);
  });

  it("are made anew where somebody else was faster", async () => {
    const sheet = server.sheet("e", -12);
    const there = server.episodes.get("e")!;
    there.version = 5;
    there.gain = -20; // of which this window has not heard
    await queue.edit(sheet, louder(1));
    expect(there.gain).toBe(-19);
  });

  it("of a drag: the latest does it all, also while the line is cut", async () => {
    const sheet = server.sheet("e", 0);
    server.line = ["lost", "lost"];
    const to = (gain: number): Op => ({ type: "set-clips", clips: [{ clip: "c1", gain }] });
    const first = queue.edit(sheet, to(-1), "g1");
    const others = [-2, -3, -4].map((gain) => queue.edit(sheet, to(gain), "g1"));
    expect(await first).toBeUndefined();
    await Promise.all(others);
    expect(server.episodes.get("e")!.gain).toBe(-4);
    expect(server.asked.filter((a) => JSON.stringify(a.op).includes("-2"))).toEqual([]);
  });

  it("an undo waits as well, and is done once", async () => {
    for (const line of [["lost"], ["arrived"], ["lost", "arrived"]] as const) {
      const sheet = server.sheet("e", 0);
      await queue.edit(sheet, louder(1));
      await queue.edit(sheet, louder(1));
      server.line = [...line];
      await queue.step(sheet, "undo");
      expect(server.episodes.get("e")!.gain, line.join()).toBe(1);
      expect(sheet.known.value!.version).toBe(4);
      expect(told).toEqual([]);
    }
  });

  it("an undo is not done to what somebody else has done while the line was cut", async () => {
    const sheet = server.sheet("e", 0);
    await queue.edit(sheet, louder(1));
    server.line = ["lost"];
    rest = async () => {
      const there = server.episodes.get("e")!;
      there.version++;
      there.gain = 5;
      there.past.push(1);
      there.undone = false;
    };
    await queue.step(sheet, "undo");
    expect(server.episodes.get("e")!.gain).toBe(5);
    expect(told[0]).toContain("undo again");
  });

  it("nothing to undo is no word worth", async () => {
    await queue.step(server.sheet("e", 0), "undo");
    expect(told).toEqual([]);
  });

  it("of an episode that was removed are given up without a word: that it is gone is said", async () => {
    const sheet = server.sheet("e", 0);
    server.episodes.delete("e");
    expect(await queue.edit(sheet, louder(1))).toBeUndefined();
    expect(sheet.gone.value).toBe(true);
    expect(told).toEqual([]);
  });

  it("say what their version will be while they are on their way", async () => {
    const sheet = server.sheet("e", 0);
    let seen = 0;
    queue = new EditQueue(
      (...all) => {
        seen = sheet.posted.value;
        return server.post(...all);
      },
      () => undefined,
    );
    await queue.edit(sheet, louder(1));
    expect(seen).toBe(2);
    expect(sheet.posted.value).toBe(0);
    expect(queue.busy.value).toBe(false);
  });

  it("takes back what a drag has done when it is broken off, and sends nothing more of it", async () => {
    const sheet = server.sheet("e1", 0);
    const gain = (to: number): Op => ({ type: "set-clips", clips: [{ clip: "c1", gain: to }] });
    const first = queue.edit(sheet, gain(1), "drag");
    const second = queue.edit(sheet, gain(2), "drag");
    const back = queue.takeBack(sheet, "drag");
    await Promise.all([first, second, back]);
    expect(await second).toBeUndefined();
    expect(server.asked.map((a) => a.op)).toEqual([gain(1), "undo"]);
    expect(server.episodes.get("e1")!.gain).toBe(0);
    // Of what has changed nothing there is nothing to take back, and nothing is said of that.
    await queue.takeBack(sheet, "another");
    expect(told).toEqual([]);
  });
});
