import { useRouter } from "vue-router";
import { RATE } from "../../../model/units";
import { useSession } from "../../../stores/session";
import type { ArrangeTab, CheckTab, DeskContext, GatherTab, HandoverTab, Stage } from "../../state/context";
import { toggleNight } from "../../../model/night";
import { cross } from "../crossing";
import type { Size } from "../../state/heights";
import { intoPanel } from "../intoPanel";
import { inGroup, type Act } from "./act";
import type { Reasons } from "./reasons";

/** What is seen of the session. */
export function looking(desk: DeskContext, why: Reasons): Act[] {
  const session = useSession();
  const { time, selection } = desk;
  const { acts } = why;
  const act = inGroup("See");
  const height = (size: Size) => () => {
    const all = session.document?.tracks.map((t) => t.id) ?? [];
    desk.heights.set(acts.chosenTracks().length > 0 ? acts.chosenTracks() : all, size);
  };
  const fitChosen = () => {
    const clips = acts.chosen().map((id) => session.clip(id)!);
    const { range } = selection;
    if (range) time.fit(range.from, range.to);
    else if (clips.length > 0) {
      time.fit(Math.min(...clips.map((c) => c.start)), Math.max(...clips.map((c) => c.start + c.length)));
    }
  };
  const screen = (by: number) => () => time.show(time.start + by * time.width * time.scale * 0.8);
  const something = () => why.clip() && why.stretch() && "Choose a clip or a stretch first.";
  return [
    act("zoom-in", "+|=|Shift++", "Zoom in", () => time.zoom(0.7, time.x(desk.playhead.value)), {
      first: true,
      words: "nearer",
    }),
    act("zoom-out", "-", "Zoom out", () => time.zoom(1 / 0.7, time.x(desk.playhead.value))),
    act("fit-all", "0", "Show the whole session", () => time.fit(0, Math.max(session.length, RATE * 10)), {
      first: true,
      words: "zoom everything",
    }),
    act("fit-chosen", "9", "Show what is chosen", fitChosen, { off: something, words: "zoom stretch clip" }),
    act("samples", "8", "Single samples at the playhead", () =>
      time.fit(desk.playhead.value - 24, desk.playhead.value + 24),
    ),
    act("screen-earlier", "PageUp", "A screen earlier", screen(-1)),
    act("screen-later", "PageDown", "A screen later", screen(1)),
    act("follow", "m", "Let the view follow the playhead, or stay", () => {
      desk.following.value = !desk.following.value;
    }),
    act("fold", "y", "Fold the chosen tracks small, or all", height("folded")),
    act("small", "u", "Small tracks: the chosen one, or all", height("small")),
    act("own-height", "i", "Tracks of their own height", height("own")),
    act("tall", "o", "Tall tracks, for fine work on level lines", height("tall")),
    act("night", "", "Night desk, or day", toggleNight, { words: "dark light theme colours" }),
  ];
}

/** Where one goes. */
export function going(desk: DeskContext): Act[] {
  const router = useRouter();
  const session = useSession();
  const act = inGroup("Go to");
  const stage = (name: Stage) => (event?: KeyboardEvent) => {
    desk.stage.value = name;
    intoPanel(desk, event);
  };
  const gather = (tab: GatherTab, wanted?: string) => (event?: KeyboardEvent) => {
    desk.stage.value = "gather";
    desk.gatherTab.value = tab;
    intoPanel(desk, event, wanted);
  };
  const arrange = (tab: ArrangeTab) => (event?: KeyboardEvent) => {
    desk.stage.value = "arrange";
    desk.arrangeTab.value = tab;
    intoPanel(desk, event);
  };
  return [
    act("find", "/|$mod+k", "Find an act by words, and do it", () => void (desk.finder.value = true), { first: true }),
    act(
      "shelf",
      "Backquote",
      "To the shelf, with all shows",
      () => void router.push(session.open ? `/shows/${session.open.show}` : "/"),
      {
        words: "home back leave episodes",
      },
    ),
    act("panel", "F6", "From what is chosen into its panel, and back", () => cross(desk), { words: "focus settings" }),
    act("gather", "1", "Gather", stage("gather")),
    act("arrange", "2", "Arrange", stage("arrange")),
    act("balance", "3", "Balance", stage("balance")),
    act("check", "4", "Check", stage("check")),
    act("hand-over", "5", "Hand over", stage("handover")),
    act("sounds", "", "Sounds of this episode", gather("sounds"), { words: "recordings files" }),
    act("music", "", "Music and effects to choose from", gather("music", "aside.panel input[type=search]"), {
      words: "shelf search theme bed",
    }),
    act("takes", "", "Recording and takes", gather("record"), { words: "microphone level" }),
    act("credits", "", "Credits", gather("credits"), { words: "licence author" }),
    act("order", "", "Running order", arrange("order"), { words: "list clips" }),
    act("marks", "", "Markers and chapters", arrange("marks"), { words: "ranges" }),
    act("pauses", "", "Pauses, to be tightened", arrange("pauses"), { words: "silence dead air" }),
    act("past", "", "History of all steps", arrange("past"), { words: "versions undo" }),
    act("keys", "Shift+?", "All keys", () => void (desk.keysShown.value = true), { words: "shortcuts help" }),
  ];
}

/** What is said of the mix, and what leaves the house. */
export function finishing(desk: DeskContext, why: Reasons): Act[] {
  const act = inGroup("Check and hand over");
  const check = (tab: CheckTab, wanted?: string) => (event?: KeyboardEvent) => {
    desk.stage.value = "check";
    desk.checkTab.value = tab;
    intoPanel(desk, event, wanted);
  };
  const handover = (tab: HandoverTab, wanted?: string) => (event?: KeyboardEvent) => {
    desk.stage.value = "handover";
    desk.handoverTab.value = tab;
    intoPanel(desk, event, wanted);
  };
  return [
    act("findings", "", "Findings: what is wrong, and how to mend it", check("findings"), { words: "errors problems" }),
    act("loudness", "", "Loudness over time", check("loudness"), { words: "lufs range peak meter" }),
    act("compare", "", "Compare with another version", check("compare"), { words: "versions before" }),
    act(
      "note",
      "",
      "Note something at the playhead, or at the chosen stretch",
      check("notes", "aside.panel textarea"),
      {
        words: "comment write remark colleague",
      },
    ),
    act("mix-down", "", "Mix down…", handover("files", "aside.panel .go"), {
      off: why.something,
      words: "export wav mp3 render",
    }),
    act("details", "", "Details: title, picture, chapters", handover("details", "aside.panel #details-description"), {
      words: "metadata artwork",
    }),
    act("share", "", "Share by a link", handover("share", "aside.panel .go:not(:disabled)"), {
      words: "publish listeners",
    }),
    act("feed", "", "The podcast feed", handover("feed"), { words: "publish rss" }),
  ];
}
