import { beforeEach, describe, expect, it } from "vitest";
import { Switchboard, type FromWindow, type Hears, type ToWindow, type Window } from "../src/events/switchboard";

interface FakeStream extends Hears {
  episodes: string[];
  closed: boolean;
}

class FakeWindow implements Window {
  readonly heard: ToWindow[] = [];
  episode: string | undefined;
  answers = true;
  constructor(private readonly board: Switchboard) {}

  tell(message: ToWindow): void {
    if (message.type !== "there") this.heard.push(message);
    else if (this.answers) this.board.hear(this, { episode: this.episode, still: true });
  }
  show(episode: string | undefined): void {
    this.episode = episode;
    this.board.hear(this, { episode } satisfies FromWindow);
  }
  get lines(): boolean[] {
    return this.heard.flatMap((m) => (m.type === "line" ? [m.connected] : []));
  }
}

describe("the switchboard of a browser", () => {
  let now: number;
  let streams: FakeStream[];
  let board: Switchboard;
  const open = () => streams.filter((s) => !s.closed);
  const beat = (s: FakeStream, of: string) => s.beat({ of, version: 1 });

  beforeEach(() => {
    now = 1000;
    streams = [];
    board = new Switchboard(
      (episodes, hears) => {
        const stream: FakeStream = { ...hears, episodes, closed: false };
        streams.push(stream);
        return { close: () => void (stream.closed = true) };
      },
      () => now,
    );
  });

  it("needs one stream for twelve windows", () => {
    const windows = Array.from({ length: 12 }, () => new FakeWindow(board));
    windows.forEach((w, i) => {
      w.show(`e${i % 5}`);
      streams.at(-1)!.opened();
    });
    expect(open()).toHaveLength(1);
    expect(open()[0]!.episodes).toEqual(["e0", "e1", "e2", "e3", "e4"]);
    expect(windows.every((w) => w.lines.at(-1))).toBe(true);
  });

  it("tells each window what happens to its own episode", () => {
    const [a, b] = [new FakeWindow(board), new FakeWindow(board)];
    a.show("a");
    b.show("b");
    streams.at(-1)!.opened();
    streams.at(-1)!.told({ of: "b", script: { show: "" } });
    beat(streams.at(-1)!, "a");
    expect(a.heard.map((m) => m.type).filter((t) => t !== "line")).toEqual(["beat"]);
    expect(b.heard.map((m) => m.type).filter((t) => t !== "line")).toEqual(["told"]);
  });

  it("keeps the stream that there is until the next one has begun", () => {
    const [a, b] = [new FakeWindow(board), new FakeWindow(board)];
    a.show("a");
    streams[0]!.opened();
    b.show("b");
    expect(open()).toHaveLength(2);
    streams[0]!.told({ of: "a", script: { show: "" } });
    expect(a.heard.some((m) => m.type === "told")).toBe(true);
    streams[1]!.opened();
    expect(open()).toEqual([streams[1]]);
    streams[0]!.lost(true);
    expect(a.lines.at(-1)).toBe(true);
  });

  it("says that the line is lost, and asks anew where it does not come back by itself", () => {
    const a = new FakeWindow(board);
    a.show("a");
    streams[0]!.opened();
    streams[0]!.lost(true);
    expect(a.lines).toEqual([true, false]);
    now += 2000;
    board.look();
    expect(open()).toHaveLength(1);
    streams.at(-1)!.opened();
    expect(a.lines.at(-1)).toBe(true);
  });

  it("takes a line on which nothing comes for dead, and one that has slept", () => {
    for (const sleep of [false, true]) {
      const a = new FakeWindow(board);
      a.show("a");
      streams.at(-1)!.opened();
      const before = streams.length;
      for (let i = 0; i < 5; i++) {
        now += 2000;
        beat(streams.at(-1)!, "a");
        board.look();
      }
      expect(streams).toHaveLength(before);
      if (sleep) now += 3_600_000;
      else {
        for (let i = 0; i < 6; i++) {
          now += 2000;
          board.look();
        }
      }
      now += 2000;
      board.look();
      expect(streams.length).toBeGreaterThan(before);
      expect(a.lines.at(-1)).toBe(false);
      expect(open().length).toBe(1);
      a.show(undefined);
    }
  });

  it("forgets a window that is gone, and takes back one that was only frozen", () => {
    const [a, b] = [new FakeWindow(board), new FakeWindow(board)];
    a.show("a");
    b.show("b");
    streams.at(-1)!.opened();
    b.answers = false;
    for (let i = 0; i < 40; i++) {
      now += 2000;
      beat(open()[0]!, "a");
      board.look();
    }
    a.show("c"); // the next stream is without it
    expect(streams.at(-1)!.episodes).toEqual(["c"]);
    streams.at(-1)!.opened();
    b.answers = true;
    b.tell({ type: "there" }); // which it was asked while it was frozen
    expect(streams.at(-1)!.episodes).toEqual(["b", "c"]);
    expect(b.lines).toEqual([true, false]);
    streams.at(-1)!.opened();
    expect(b.lines.at(-1)).toBe(true);
  });

  it("holds no stream where nobody listens", () => {
    const a = new FakeWindow(board);
    a.show("a");
    streams[0]!.opened();
    a.show(undefined);
    expect(open()).toHaveLength(0);
  });
});
