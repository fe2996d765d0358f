import { useEventListener } from "@vueuse/core";
import type { Ref } from "vue";
import { createKeybindingsHandler } from "tinykeys";
import { levelAt } from "../drawing/level";
import { RATE } from "../model/units";
import { useSession } from "../stores/session";
import type { DeskContext, Stage } from "./context";
import type { Size } from "./heights";
import { playAgain, togglePlay, toggleRecord } from "./transport";

export interface Shortcut {
  keys: string[];
  shown: string;
  does: string;
  run: (event: KeyboardEvent) => void;
}

/** All shortcuts of the desk: one list for the keys and for the sheet that explains them. */
export function shortcutList(desk: DeskContext, help: Ref<boolean>): Shortcut[] {
  const session = useSession();
  const { selection, time } = desk;
  const one = (keys: string, shown: string, does: string, run: Shortcut["run"]): Shortcut => ({
    keys: keys.split("|"),
    shown,
    does,
    run,
  });
  const step = (frames: number) => () => desk.seek(desk.playhead.value + frames);
  const clipOf = session.clip;
  const chosen = () => selection.clips.filter((id) => clipOf(id));
  const underPlayhead = () => {
    const at = desk.playhead.value;
    const tracks = (session.document?.tracks ?? []).filter((t) => !selection.track || t.id === selection.track);
    return tracks.flatMap((t) =>
      Object.entries(t.clips)
        .filter(([, c]) => c.start < at && c.start + c.length > at)
        .map(([id]) => id),
    );
  };
  let copied: string[] = [];
  let moving = false;
  const take = (cut: boolean) => () => {
    copied = chosen();
    moving = cut;
  };
  const paste = () => {
    const clips = copied.filter(clipOf);
    const at = Math.round(desk.playhead.value);
    if (clips.length === 0) return;
    if (!moving) {
      void session.edit({ type: "copy-clips", clips, start: at });
      return;
    }
    moving = false;
    const first = Math.min(...clips.map((id) => clipOf(id)!.start));
    void session.edit({
      type: "move-clips",
      moves: clips.map((clip) => ({ clip, start: clipOf(clip)!.start - first + at })),
    });
  };

  const nudge = (frames: number) => () => {
    const moves = chosen().map((clip) => ({ clip, start: clipOf(clip)!.start + frames }));
    if (moves.length > 0) void session.edit({ type: "move-clips", moves });
  };
  const level = (by: number) => () => {
    const clips = chosen();
    const gain = (id: string) => Math.round(((clipOf(id)?.gain ?? 0) + by) * 10) / 10;
    // The gains are read when the edit's turn comes, so that a key held down adds up.
    if (clips.length > 0) {
      void session.edit(() => ({ type: "set-clips", clips: clips.map((clip) => ({ clip, gain: gain(clip) })) }));
    }
  };
  const remove = (close: boolean) => () => {
    if (selection.points.length > 0 && clipOf(selection.line)) {
      void session.edit({
        type: "remove-points",
        points: selection.points.map((at) => ({ clip: selection.line, at })),
      });
      selection.points = [];
      return;
    }
    const clips = chosen();
    selection.clips = [];
    if (clips.length > 0) void session.edit({ type: "remove-clips", clips, close });
  };
  const trim = (edge: "start" | "end") => () => {
    const clips = chosen().length > 0 ? chosen() : underPlayhead();
    const at = Math.round(desk.playhead.value);
    if (clips.length > 0) void session.edit({ type: "trim-clips", trims: clips.map((clip) => ({ clip, edge, at })) });
  };
  const toggle = (what: "mute" | "solo") => () => {
    const track = session.document?.tracks.find((t) => t.id === selection.track);
    if (track) void session.edit({ type: "set-tracks", tracks: [{ track: track.id, [what]: !track[what] }] });
  };
  const height = (size: Size) => () => {
    const all = session.document?.tracks.map((t) => t.id) ?? [];
    desk.heights.set(all.includes(selection.track) ? [selection.track] : all, size);
  };
  const stage = (name: Stage) => () => void (desk.stage.value = name);

  return [
    one("Space", "Space", "Play or pause", () => togglePlay(desk, session.length)),
    one("Enter", "Enter", "Play again from the last start", () => playAgain(desk)),
    one("r", "R", "Record at the playhead, or end the recording", () => void toggleRecord(desk)),
    one(
      "t",
      "T",
      "Show the script in large type, or put it away",
      () => void (desk.reading.value = !desk.reading.value),
    ),
    one("Home", "Home", "To the start", () => desk.seek(0)),
    one("End", "End", "To the end", () => desk.seek(session.length)),
    one("ArrowLeft", "←", "One second back", step(-RATE)),
    one("ArrowRight", "→", "One second on", step(RATE)),
    one("Shift+ArrowLeft", "Shift ←", "A tenth of a second back", step(-RATE / 10)),
    one("Shift+ArrowRight", "Shift →", "A tenth of a second on", step(RATE / 10)),
    one("g", "G", "Trim the start of the clip to the playhead", trim("start")),
    one("h", "H", "Split at the playhead", () => {
      const clips = chosen().length > 0 ? chosen() : underPlayhead();
      if (clips.length > 0) void session.edit({ type: "split-clips", clips, at: Math.round(desk.playhead.value) });
    }),
    one("j", "J", "Trim the end of the clip to the playhead", trim("end")),
    one("Delete|Backspace", "Delete", "Remove the chosen clips or points", remove(false)),
    one("Shift+Delete", "Shift Delete", "Remove the clips and close the gap", remove(true)),
    one("$mod+c", "Ctrl C", "Copy the chosen clips", take(false)),
    one("$mod+x", "Ctrl X", "Cut: the chosen clips move to where they are pasted", take(true)),
    one("$mod+v", "Ctrl V", "Paste at the playhead", paste),
    one("$mod+d", "Ctrl D", "Duplicate behind itself", () => {
      const clips = chosen();
      const end = Math.max(0, ...clips.map((id) => clipOf(id)!.start + clipOf(id)!.length));
      if (clips.length > 0) void session.edit({ type: "copy-clips", clips, start: end });
    }),
    one("$mod+z", "Ctrl Z", "Undo", () => void session.undo()),
    one("$mod+Shift+z", "Ctrl Shift Z", "Redo", () => void session.redo()),
    one("p", "P", "Put a point on the level line at the playhead", () => {
      const points = chosen().flatMap((id) => {
        const clip = clipOf(id)!;
        const at = Math.round(desk.playhead.value) - clip.start + clip.offset;
        const inside = at >= clip.offset && at < clip.offset + clip.length;
        return inside ? { clip: id, at, level: levelAt(clip.envelope, at) } : [];
      });
      if (points.length > 0) void session.edit({ type: "add-points", points });
    }),
    one("ArrowUp", "↑", "Clip gain 1 dB up", level(1)),
    one("ArrowDown", "↓", "Clip gain 1 dB down", level(-1)),
    one("Shift+ArrowUp", "Shift ↑", "Clip gain 0.1 dB up", level(0.1)),
    one("Shift+ArrowDown", "Shift ↓", "Clip gain 0.1 dB down", level(-0.1)),
    one(",", ",", "Move the chosen clips 10 ms earlier", nudge(-480)),
    one(".", ".", "Move the chosen clips 10 ms later", nudge(480)),
    one("Shift+Comma", "Shift ,", "Move the chosen clips 100 ms earlier", nudge(-4800)),
    one("Shift+Period", "Shift .", "Move the chosen clips 100 ms later", nudge(4800)),
    one("q", "Q", "Mute the chosen track", toggle("mute")),
    one("w", "W", "Solo the chosen track", toggle("solo")),
    one("l", "L", "Loop the selected range", () => void (desk.loopOn.value = !desk.loopOn.value)),
    one(
      "n",
      "N",
      "Marker at the playhead",
      () => void session.edit({ type: "add-marker", at: Math.round(desk.playhead.value) }),
    ),
    one("+|=|Shift++", "+", "Zoom in", () => time.zoom(0.7, time.x(desk.playhead.value))),
    one("-", "−", "Zoom out", () => time.zoom(1 / 0.7, time.x(desk.playhead.value))),
    one("0", "0", "Show the whole session", () => time.fit(0, Math.max(session.length, RATE * 10))),
    one("9", "9", "Show the selection", () => {
      const clips = chosen().map((id) => clipOf(id)!);
      const range = selection.range;
      if (range) time.fit(range.from, range.to);
      else if (clips.length > 0) {
        time.fit(Math.min(...clips.map((c) => c.start)), Math.max(...clips.map((c) => c.start + c.length)));
      }
    }),
    one("1", "1", "Gather", stage("gather")),
    one("2", "2", "Arrange", stage("arrange")),
    one("3", "3", "Balance", stage("balance")),
    one("5", "5", "Hand over", stage("handover")),
    one("u", "U", "Small tracks: the chosen one, or all", height("small")),
    one("i", "I", "Tracks of their own height", height("own")),
    one("o", "O", "Tall tracks, for fine work on level lines", height("tall")),
    one("Escape", "Esc", "Let go of the selection", () => {
      selection.clips = [];
      selection.points = [];
      selection.range = undefined;
    }),
    one("Shift+?", "?", "This list", () => void (help.value = !help.value)),
  ];
}

export function useShortcuts(desk: DeskContext, help: Ref<boolean>): void {
  const bindings: Record<string, (event: KeyboardEvent) => void> = {};
  for (const shortcut of shortcutList(desk, help)) {
    for (const key of shortcut.keys) {
      bindings[key] = (event) => {
        event.preventDefault();
        shortcut.run(event);
      };
    }
  }
  const handler = createKeybindingsHandler(bindings);
  useEventListener(window, "keydown", (event: KeyboardEvent) => {
    const at = event.target as HTMLElement;
    if (at.closest("input, textarea, select, [contenteditable], .el-dialog, .el-slider, .el-popper")) return;
    // A focused button answers Space and Enter itself.
    if (at.closest("button, a") && (event.key === " " || event.key === "Enter")) return;
    handler(event);
  });
}
