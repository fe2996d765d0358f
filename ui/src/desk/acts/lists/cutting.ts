import { useSession } from "../../../stores/session";
import type { DeskContext } from "../../state/context";
import { inGroup, type Act } from "./act";
import type { Reasons } from "./reasons";

/** Choosing what is meant, and marking it. */
export function choosing(desk: DeskContext, why: Reasons): Act[] {
  const { acts } = why;
  const { selection } = desk;
  const act = inGroup("Choose");
  /** The menu of the chosen clip, or of the one in focus. */
  const openMenu = () => {
    const id = (document.activeElement as HTMLElement | null)?.dataset?.clip ?? acts.chosen()[0];
    document.querySelector(`[data-clip="${id}"]`)?.dispatchEvent(new MouseEvent("contextmenu", { bubbles: true }));
  };
  const all = () => (selection.points.length > 0 ? acts.choosePoints() : acts.chooseAll("all"));
  return [
    act("choose-all", "$mod+a", "Choose all clips, or all points of the line that has a chosen one", all, {
      off: why.clips,
      words: "select",
    }),
    act("choose-track", "a", "Choose all clips of the track", () => acts.chooseAll("track"), { off: why.clips }),
    act("choose-rest", "Shift+a", "Choose all clips from the playhead on", () => acts.chooseAll("rest"), {
      off: why.clips,
    }),
    act("stretch-start", "Semicolon", "Start of a stretch at the playhead", () => acts.markEnd("from"), {
      off: why.something,
      words: "choose range in mark begin",
    }),
    act("stretch-end", "Quote", "End of the stretch at the playhead", () => acts.markEnd("to"), {
      off: why.something,
      words: "choose range out mark",
    }),
    act("stretch-typed", "", "Choose a stretch by its times…", acts.askForStretch, {
      off: why.something,
      words: "range type from to",
    }),
    act(
      "let-go",
      "Escape",
      "Let go of what is chosen",
      () => {
        Object.assign(selection, { clips: [], points: [], range: undefined });
        desk.mark.value = undefined;
      },
      { words: "deselect none nothing" },
    ),
    act("marker", "n", "Marker at the playhead", () => acts.mark(false), { first: true, words: "mark place" }),
    act("name-range", "Shift+n", "Name the chosen stretch, as a range", () => acts.mark(true), {
      off: why.stretch,
      words: "chapter part",
    }),
    act("chapter", "", "Chapter of the stretch, or from the playhead on…", acts.chapter, {
      off: why.something,
      words: "title section mark",
    }),
    act("place-before", "[", "To the place before, where something begins or ends", () => acts.jump(-1)),
    act("place-after", "]", "To the next such place", () => acts.jump(1)),
    act("menu", "ContextMenu|Shift+F10", "What can be done with the clip", openMenu, { off: why.clip, words: "more" }),
  ];
}

/** Cutting, moving, copying. */
export function cutting(desk: DeskContext, why: Reasons): Act[] {
  const session = useSession();
  const { acts } = why;
  const { selection } = desk;
  const act = inGroup("Cut and move");
  const gap = (close: "track" | "all") => () => acts.closeGap(selection.track, desk.playhead.value, close);
  const undone = () => (session.undoName ? undefined : "There is nothing to undo.");
  const redone = () => (session.redoName ? undefined : "Nothing was undone.");
  const clip = { off: why.clip };
  return [
    act("trim-start", "g", "Trim the start of the clip to the playhead", () => acts.trim("start"), { off: why.meant }),
    act("split", "h", "Split at the playhead", () => acts.split(), { off: why.anywhere, first: true, words: "cut" }),
    act("trim-end", "j", "Trim the end of the clip to the playhead", () => acts.trim("end"), { off: why.meant }),
    act("join", "k", "Join the chosen clips that a split has parted", acts.join, { off: why.several, words: "merge" }),
    act("split-all", "Shift+h", "Split all tracks at the playhead", () => acts.split(true), { off: why.anywhere }),
    act("remove", "Delete|Backspace", "Remove the chosen clips, stretch or points", () => acts.remove(""), {
      off: why.removable,
      first: true,
      words: "delete",
    }),
    act("remove-close", "Shift+Delete", "Remove and close the gap on the track", () => acts.remove("track"), {
      off: why.removable,
      first: true,
      words: "delete slip cut out ripple",
    }),
    act("remove-time", "$mod+Delete", "Remove that time on all tracks, in step", () => acts.remove("all"), {
      off: why.removable,
      words: "delete",
    }),
    act("close-gap", "x", "Close the gap at the playhead on the chosen track", gap("track"), { off: why.track }),
    act("close-gap-all", "Shift+x", "Close that gap on all tracks", gap("all"), { off: why.track }),
    act("pause", "e", "Put in a pause at the playhead…", () => acts.askForTime(), {
      words: "silence insert time room",
    }),
    act("repeat", "d", "Repeat the chosen stretch…", acts.askForRepeats, { off: why.meant, words: "stutter again" }),
    act("fill", "f", "Fill a length with the clip, on its beat…", acts.askForLoop, {
      off: why.meant,
      words: "bed loop",
    }),
    act("fit", "Shift+f", "Fit the music to a length…", acts.showFit, { words: "shorten lengthen" }),
    act("front", "b", "Bring the clip to the front", () => acts.layer(true), clip),
    act("behind", "Shift+b", "Put the clip behind others", () => acts.layer(false), clip),
    act("copy", "$mod+c", "Copy the chosen clips, or a stretch of them", () => void acts.take(false), {
      off: why.removable,
    }),
    act("cut", "$mod+x", "Cut them", () => void acts.take(true), { off: why.removable }),
    act("paste", "$mod+v", "Paste at the playhead on the chosen track", () => void acts.paste(), { off: why.copied }),
    act("paste-room", "$mod+Shift+v", "Paste, and move what follows later", () => void acts.paste(true), {
      off: why.copied,
      words: "insert",
    }),
    act("duplicate", "$mod+d", "Duplicate behind itself", acts.duplicate, clip),
    act("render", "Shift+r", "Render the chosen clips to a sound…", acts.askForRendering, { words: "bounce mix" }),
    act("undo", "$mod+z", "Undo", () => void session.undo(), { off: undone, first: true }),
    act("redo", "$mod+Shift+z", "Redo", () => void session.redo(), { off: redone }),
    act("earlier", ",", "Move the chosen clips 10 ms earlier", () => acts.nudge(-480), clip),
    act("later", ".", "Move the chosen clips 10 ms later", () => acts.nudge(480), clip),
    act("earlier-far", "Shift+Comma", "Move the chosen clips 100 ms earlier", () => acts.nudge(-4800), clip),
    act("later-far", "Shift+Period", "Move the chosen clips 100 ms later", () => acts.nudge(4800), clip),
    act("slip-earlier", "Alt+Comma", "Slip the sound inside the clip 10 ms earlier", () => acts.slip(480), clip),
    act("slip-later", "Alt+Period", "Slip the sound inside the clip 10 ms later", () => acts.slip(-480), clip),
    act("track-above", "Alt+ArrowUp", "Move the chosen clips to the track above", () => acts.changeTrack(-1), clip),
    act("track-below", "Alt+ArrowDown", "Move the chosen clips to the track below", () => acts.changeTrack(1), clip),
  ];
}
