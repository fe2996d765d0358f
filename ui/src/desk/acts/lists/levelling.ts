import type { BalanceTab, DeskContext } from "../../state/context";
import { useSession } from "../../../stores/session";
import { makeRoom } from "../makeRoom";
import { intoPanel } from "../intoPanel";
import { inGroup, type Act } from "./act";
import type { Reasons } from "./reasons";

const SUGGEST = "aside.panel [data-suggest]:not(:disabled)";

/** Levels, ways and treatments. */
export function levelling(desk: DeskContext, why: Reasons): Act[] {
  const session = useSession();
  const { acts } = why;
  const act = inGroup("Level and balance");
  const gain = (by: number) => () => acts.louder(by);
  const clip = { off: why.clip };
  const shown = (change: Partial<typeof desk.lines.value>) => {
    desk.lines.value = { ...desk.lines.value, ...change };
  };
  const open = (tab: BalanceTab, wanted?: string) => (event?: KeyboardEvent) => {
    desk.stage.value = "balance";
    desk.balanceTab.value = tab;
    intoPanel(desk, event, wanted);
  };
  const spoken = () =>
    (session.document?.tracks ?? []).some((t) => t.part === "voice" && Object.keys(t.clips).length > 0)
      ? undefined
      : "There is no voice yet.";
  return [
    act("gain-up", "ArrowUp|$mod+ArrowUp", "Clip gain 1 dB up", gain(1), { ...clip, words: "louder" }),
    act("gain-down", "ArrowDown|$mod+ArrowDown", "Clip gain 1 dB down", gain(-1), { ...clip, words: "softer quieter" }),
    act("gain-up-fine", "Shift+ArrowUp", "Clip gain 0.1 dB up", gain(0.1), clip),
    act("gain-down-fine", "Shift+ArrowDown", "Clip gain 0.1 dB down", gain(-0.1), clip),
    act("gain", "", "Type the gain of the clip…", acts.askForGain, { off: why.meant, words: "volume level" }),
    act("silence", "s", "Silence the chosen stretch, or the clip, or let it sound again", acts.silence, {
      off: why.meant,
      words: "quiet",
    }),
    act("fade-in", "", "Fade in up to the playhead", () => acts.fade("in"), { off: why.meant }),
    act("fade-out", "", "Fade out from the playhead", () => acts.fade("out"), { off: why.meant }),
    act("point", "p", "Put a point on the level line at the playhead", () => acts.pointHere(), {
      off: why.lines,
      words: "envelope automation node",
    }),
    act("point-typed", "Shift+p", "Type the level of a point at the playhead…", acts.askForPoint, {
      off: why.lines,
      words: "envelope automation value",
    }),
    act(
      "dip",
      "z",
      "Dip the chosen music under the stretch, or under the speech",
      () => {
        for (const id of acts.chosen()) void acts.dipUnder(id);
      },
      { ...clip, words: "duck under" },
    ),
    act("mute", "q", "Mute the chosen tracks", () => acts.toggle("mute"), { off: why.track }),
    act("solo", "w", "Solo the chosen tracks", () => acts.toggle("solo"), { off: why.track, words: "alone only" }),
    act("line-tracks", "v", "Show the level lines of tracks, or those of clips", () =>
      shown({ tracks: !desk.lines.value.tracks }),
    ),
    act("line-clips", "Shift+v", "Hide the level lines of clips, or show them", () =>
      shown({ clips: !desk.lines.value.clips }),
    ),
    act("make-room", "", "Make room for speech, in the whole show…", () => makeRoom(desk), {
      off: spoken,
      words: "duck lead bed under voice",
    }),
    act("even-out", "", "Even out voices…", open("voices"), { off: spoken, words: "same loudness normalise speakers" }),
    act("treat", "", "Treat the chosen track: low cut, gate, compressor…", open("treatment"), {
      off: why.track,
      words: "expander limiter dynamics noise threshold",
    }),
    act("suggest", "", "Suggest a treatment for the chosen voice…", open("treatment", SUGGEST), {
      off: why.track,
      words: "gate compressor noise",
    }),
    act("make-way", "", "Let the chosen track make way for speech…", open("room"), {
      off: why.track,
      words: "duck music under",
    }),
  ];
}
