import { useEventListener } from "@vueuse/core";
import type { Ref } from "vue";
import { createKeybindingsHandler } from "tinykeys";
import { RATE } from "../../model/units";
import { useSession } from "../../stores/session";
import type { DeskContext, Stage } from "../state/context";
import type { Size } from "../state/heights";
import { useActs } from "./acts";
import { useBare } from "./bare";
import { useStaying } from "./staying";
import {
  goBack,
  playAgain,
  playBefore,
  playJoins,
  playStretch,
  togglePlay,
  toggleRecord,
} from "../transport/transport";

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
  const acts = useActs(desk);
  const { chosen } = acts;
  const bare = useBare(desk);
  const staying = useStaying(desk);
  const level = (by: number) => () => acts.louder(by);
  const height = (size: Size) => () => {
    const all = session.document?.tracks.map((t) => t.id) ?? [];
    desk.heights.set(acts.chosenTracks().length > 0 ? acts.chosenTracks() : all, size);
  };
  /** The menu of the chosen clip, or of the one in focus. */
  const openMenu = () => {
    const id = (document.activeElement as HTMLElement | null)?.dataset?.clip ?? chosen()[0];
    document.querySelector(`[data-clip="${id}"]`)?.dispatchEvent(new MouseEvent("contextmenu", { bubbles: true }));
  };
  const stage = (name: Stage) => () => void (desk.stage.value = name);

  return [
    one("Space", "Space", "Play or pause", () => togglePlay(desk, session.length)),
    one("Enter", "Enter", "Play again from the last start", () => playAgain(desk)),
    one("Shift+Enter", "Shift Enter", "Play from two seconds before the playhead", () => playBefore(desk)),
    one("c", "C", "Play the chosen stretch once", () => playStretch(desk)),
    one("Shift+c", "Shift C", "Play only the joins from the playhead on", () => playJoins(desk)),
    one("Shift+Home", "Shift Home", "Stop, and back to where playing began", () => goBack(desk)),
    one("r", "R", "Record at the playhead, or end the recording", () => void toggleRecord(desk)),
    one("Shift+r", "Shift R", "Render the chosen clips to a sound…", acts.askForRendering),
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
    one("g", "G", "Trim the start of the clip to the playhead", () => acts.trim("start")),
    one("h", "H", "Split at the playhead", () => acts.split()),
    one("j", "J", "Trim the end of the clip to the playhead", () => acts.trim("end")),
    one("k", "K", "Join the chosen clips that a split has parted", acts.join),
    one("Shift+h", "Shift H", "Split all tracks at the playhead", () => acts.split(true)),
    one("Delete|Backspace", "Delete", "Remove the chosen clips, stretch or points", () => acts.remove("")),
    one("Shift+Delete", "Shift Delete", "Remove and close the gap on the track", () => acts.remove("track")),
    one("$mod+Delete", "Ctrl Delete", "Remove that time on all tracks, in step", () => acts.remove("all")),
    one("x", "X", "Close the gap at the playhead on the chosen track", () =>
      acts.closeGap(selection.track, desk.playhead.value, "track"),
    ),
    one("Shift+x", "Shift X", "Close that gap on all tracks", () =>
      acts.closeGap(selection.track, desk.playhead.value, "all"),
    ),
    one("e", "E", "Put in a pause at the playhead…", () => acts.askForTime()),
    one("d", "D", "Repeat the chosen stretch…", acts.askForRepeats),
    one("f", "F", "Loop the clip to a length…", acts.askForLoop),
    one("Shift+f", "Shift F", "Fit the music to a length…", acts.showFit),
    one("s", "S", "Silence the chosen stretch, or the clip, or let it sound again", acts.silence),
    one("b", "B", "Bring the clip to the front", () => acts.layer(true)),
    one("Shift+b", "Shift B", "Put the clip behind others", () => acts.layer(false)),
    one("$mod+c", "Ctrl C", "Copy the chosen clips, or a stretch of them", () => void acts.take(false)),
    one("$mod+x", "Ctrl X", "Cut them", () => void acts.take(true)),
    one("$mod+v", "Ctrl V", "Paste at the playhead on the chosen track", () => void acts.paste()),
    one("$mod+Shift+v", "Ctrl Shift V", "Paste and make room", () => void acts.paste(true)),
    one("$mod+d", "Ctrl D", "Duplicate behind itself", acts.duplicate),
    one("$mod+a", "Ctrl A", "Choose all clips, or all points of the line that has a chosen one", () =>
      selection.points.length > 0 ? acts.choosePoints() : acts.chooseAll("all"),
    ),
    one("a", "A", "Choose all clips of the track", () => acts.chooseAll("track")),
    one("Shift+a", "Shift A", "Choose all clips from the playhead on", () => acts.chooseAll("rest")),
    one("$mod+z", "Ctrl Z", "Undo", () => void session.undo()),
    one("$mod+Shift+z", "Ctrl Shift Z", "Redo", () => void session.redo()),
    one("p", "P", "Put a point on the level line at the playhead", acts.pointHere),
    one("v", "V", "Show the level lines of tracks, or those of clips", () => {
      desk.lines.value = { ...desk.lines.value, tracks: !desk.lines.value.tracks };
    }),
    one("Shift+v", "Shift V", "Hide the level lines of clips, or show them", () => {
      desk.lines.value = { ...desk.lines.value, clips: !desk.lines.value.clips };
    }),
    one("z", "Z", "Dip the chosen music under the stretch, or under the speech", () => {
      for (const id of chosen()) void acts.dipUnder(id);
    }),
    one("ArrowUp", "↑", "Clip gain 1 dB up", level(1)),
    one("ArrowDown", "↓", "Clip gain 1 dB down", level(-1)),
    one("Shift+ArrowUp", "Shift ↑", "Clip gain 0.1 dB up", level(0.1)),
    one("Shift+ArrowDown", "Shift ↓", "Clip gain 0.1 dB down", level(-0.1)),
    one(",", ",", "Move the chosen clips 10 ms earlier", () => acts.nudge(-480)),
    one(".", ".", "Move the chosen clips 10 ms later", () => acts.nudge(480)),
    one("Shift+Comma", "Shift ,", "Move the chosen clips 100 ms earlier", () => acts.nudge(-4800)),
    one("Shift+Period", "Shift .", "Move the chosen clips 100 ms later", () => acts.nudge(4800)),
    one("Alt+Comma", "Alt ,", "Slip the sound inside the clip 10 ms earlier", () => acts.slip(480)),
    one("Alt+Period", "Alt .", "Slip the sound inside the clip 10 ms later", () => acts.slip(-480)),
    one("Alt+ArrowUp", "Alt ↑", "Move the chosen clips to the track above", () => acts.changeTrack(-1)),
    one("Alt+ArrowDown", "Alt ↓", "Move the chosen clips to the track below", () => acts.changeTrack(1)),
    one("Alt+Shift+ArrowUp", "Alt Shift ↑", "Move the chosen tracks up", () => acts.moveTracks(-1)),
    one("Alt+Shift+ArrowDown", "Alt Shift ↓", "Move the chosen tracks down", () => acts.moveTracks(1)),
    one("$mod+Shift+d", "Ctrl Shift D", "Duplicate the chosen tracks", acts.duplicateTracks),
    one("q", "Q", "Mute the chosen tracks", () => acts.toggle("mute")),
    one("w", "W", "Solo the chosen tracks", () => acts.toggle("solo")),
    one("7", "7", "Hear without treatment, as loud: tap, or hold", (event) => bare.press(event)),
    one("Shift+Digit7", "Shift 7", "Hear all tracks without treatment", (event) => bare.press(event, true)),
    one("6", "6", "Hear music as if it made no way for speech: tap, or hold", (event) => staying.press(event)),
    one("Shift+Digit6", "Shift 6", "Hear all tracks as if they made no way", (event) => staying.press(event, true)),
    one("l", "L", "Loop the selected range", () => void (desk.loopOn.value = !desk.loopOn.value)),
    one("n", "N", "Marker at the playhead", () => acts.mark(false)),
    one("Shift+n", "Shift N", "Name the chosen range", () => acts.mark(true)),
    one("[", "[", "To the place before, where something begins or ends", () => acts.jump(-1)),
    one("]", "]", "To the next such place", () => acts.jump(1)),
    one("PageUp", "Page ↑", "A screen earlier", () => time.show(time.start - time.width * time.scale * 0.8)),
    one("PageDown", "Page ↓", "A screen later", () => time.show(time.start + time.width * time.scale * 0.8)),
    one(
      "m",
      "M",
      "Let the view follow the playhead, or stay",
      () => void (desk.following.value = !desk.following.value),
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
    one("8", "8", "Single samples at the playhead", () => time.fit(desk.playhead.value - 24, desk.playhead.value + 24)),
    one("1", "1", "Gather", stage("gather")),
    one("2", "2", "Arrange", stage("arrange")),
    one("3", "3", "Balance", stage("balance")),
    one("4", "4", "Check", stage("check")),
    one("5", "5", "Hand over", stage("handover")),
    one("ContextMenu|Shift+F10", "Shift F10", "What can be done with the clip", openMenu),
    one("y", "Y", "Fold the chosen tracks small, or all", height("folded")),
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
