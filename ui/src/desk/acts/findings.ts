import { api, type Schema } from "../../api/client";
import type { DeskContext, GatherTab } from "../state/context";
import { RATE } from "../../model/units";
import { useBalance } from "../../stores/balance";
import { useCheck } from "../../stores/check";
import { useSession } from "../../stores/session";
import { useAsked } from "../../talk/asked";

/** What the weights are called, and their signs. */
export const WEIGHTS: Record<Schema["Finding"]["weight"], { name: string; sign: string }> = {
  must: { name: "Must be mended", sign: "!" },
  should: { name: "Should be mended", sign: "–" },
  look: { name: "Worth a look", sign: "?" },
};

/** A finding is heard from so many frames before it, and so many after it. */
const RUN_UP = 2 * RATE;
/** A mended place is heard for so long at most. */
const LONGEST = 20 * RATE;

type Op = { type: string } & Record<string, unknown>;

/** Shows on the timeline what an edit would change: stretches that go, clips that come to lie elsewhere, and how speech then stands out. */
export function usePreview(desk: DeskContext) {
  const session = useSession();
  const balance = useBalance();

  let previewed: Op | undefined;
  /** How speech would then stand out; without an answer, what would be is heard all the same. */
  const then = useAsked<Schema["Balance"]>({
    ask: (signal) => {
      if (!session.open || !previewed) return undefined;
      const params = { path: { episode: session.open.episode }, query: { op: JSON.stringify(previewed) } };
      return api.GET("/episodes/{episode}/balance", { params, signal });
    },
    take: (there) => {
      const op = previewed!;
      const tracks = (op.type === "set-tracks" ? op.tracks : []) as { track: string; way?: Schema["Way"] }[];
      const settings = Object.fromEntries(tracks.flatMap((t) => (t.way ? [[t.track, t.way]] : [])));
      balance.proposed = { ...there, settings };
    },
  });

  async function preview(f: Schema["Finding"]): Promise<void> {
    end();
    const { document } = session;
    const op = f.fix?.op as Op | undefined;
    if (!document || !op) return;
    if (op.type === "remove-ranges") {
      const ranges = op.ranges as { from: number; to: number }[];
      desk.proposed.value = ranges.map((r) => ({ from: r.from, to: r.to, chosen: true }));
    }
    const clipOf = (id: string) => {
      const track = document.tracks.find((t) => id in t.clips);
      return track && { track: track.id, ...track.clips[id]! };
    };
    const ghost = (id: string, start: number | undefined, length: number | undefined) => {
      const c = clipOf(id);
      return c ? [{ track: c.track, start: start ?? c.start, length: length ?? c.length }] : [];
    };
    if (op.type === "move-clips") {
      desk.ghosts.value = (op.moves as { clip: string; start: number }[]).flatMap((m) =>
        ghost(m.clip, m.start, undefined),
      );
    } else if (op.type === "trim-clips") {
      desk.ghosts.value = (op.trims as { clip: string; at: number }[]).flatMap((m) =>
        ghost(m.clip, undefined, m.at - (clipOf(m.clip)?.start ?? 0)),
      );
    } else if (op.type === "loop-clip") {
      desk.ghosts.value = ghost(op.clip as string, undefined, op.length as number);
    }
    previewed = op;
    await then.refresh();
  }

  function end(): void {
    then.forget();
    desk.proposed.value = [];
    desk.ghosts.value = [];
    balance.proposed = undefined;
  }

  return { preview, end };
}

/** Going to findings, and hearing them as they are and as they would be. */
export function useFindings(desk: DeskContext) {
  const session = useSession();
  const check = useCheck();

  /** Opens a finding and shows its place. */
  function show(f: Schema["Finding"]): void {
    desk.stage.value = "check";
    desk.checkTab.value = "findings";
    check.chosen = f.key;
    reveal(f);
  }

  function reveal(f: Schema["Finding"]): void {
    const { time } = desk;
    if (f.to > f.from && (f.from < time.start || f.to > time.end)) {
      const width = time.width * time.scale;
      if (f.to - f.from > width) time.fit(f.from, f.to);
      else time.show(Math.max(0, f.from - width * 0.3));
    }
    desk.selection.clips = f.clips.filter((id) => session.document?.tracks.some((t) => id in t.clips));
  }

  /** Plays from two seconds before it. */
  function hear(f: Schema["Finding"]): void {
    const from = Math.max(0, f.from - RUN_UP);
    reveal(f);
    desk.playFrom(from);
  }

  /** The address at which the place is heard as it would be after an edit. */
  function tried(f: Schema["Finding"]): string {
    if (!f.fix) return "";
    const from = Math.max(0, Math.round(f.from) - RUN_UP);
    const to = Math.max(from + 4 * RATE, Math.min(Math.round(f.to) + RUN_UP, from + LONGEST));
    const query = new URLSearchParams({ op: JSON.stringify(f.fix.op), from: String(from), to: String(to) });
    return `/episodes/${session.open?.episode}/try?${query.toString()}`;
  }

  const gather = (tab: GatherTab) => () => {
    desk.stage.value = "gather";
    desk.gatherTab.value = tab;
  };
  /** Where what no edit mends is mended by hand. */
  const ways: Record<string, { name: string; go: () => void }> = {
    loop: { name: "End the loop", go: () => (desk.loopOn.value = false) },
    take: { name: "To the takes", go: gather("record") },
    credit: { name: "To the sounds", go: gather("sounds") },
    licence: { name: "To the sounds", go: gather("sounds") },
    missing: { name: "To the sounds", go: gather("sounds") },
    details: { name: "To the details", go: () => (desk.stage.value = "handover") },
  };

  return { show, hear, tried, ways };
}
