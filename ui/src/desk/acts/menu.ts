import { nextTick } from "vue";
import { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { useActs } from "./acts";
import { whatWasCopied } from "./clipboard";
import { playJoins, playStretch } from "../transport/transport";

/** What can be done with a clip, or at an empty place of a lane, in the words of the shortcuts sheet. */
export interface Item {
  name: string;
  keys?: string;
  run: () => void;
  off?: boolean;
}

/** What the menus are made of. */
export function useMenus(desk: DeskContext) {
  const session = useSession();
  const acts = useActs(desk);

  /** An act at the place that was pointed at: the playhead goes there first. */
  const there = (at: number, run: () => void) => () => {
    desk.seek(at);
    run();
  };

  function forClip(id: string, at: number): Item[][] {
    const clip = session.clip(id);
    if (!clip) return [];
    const many = acts.chosen().length > 1;
    const stretch = acts.stretchMeant();
    const what = stretch ? "Remove the chosen stretch" : "Remove";
    return [
      [
        { name: "Split here", keys: "H", run: there(at, () => acts.split()) },
        { name: "Trim the start to here", keys: "G", run: there(at, () => acts.trim("start")) },
        { name: "Trim the end to here", keys: "J", run: there(at, () => acts.trim("end")) },
        { name: "Join", keys: "K", run: acts.join, off: !many },
      ],
      [
        { name: "Fade in up to here", run: there(at, () => acts.fade("in")) },
        { name: "Fade out from here", run: there(at, () => acts.fade("out")) },
        { name: silenceName(clip.silent ?? false), keys: "S", run: acts.silence },
        ...(acts.range() || session.trackOfClip(id)?.part !== "voice"
          ? [{ name: "Dip its level line", keys: "Z", run: () => void acts.dipUnder(id) }]
          : []),
        ...(acts.pointsGoOn() === undefined
          ? []
          : [{ name: "Paste points here", keys: "Ctrl V", run: there(at, () => void acts.pastePoints()) }]),
        { name: "Gain…", run: acts.askForGain },
        { name: "Show its level and fades", run: () => (desk.stage.value = "balance") },
      ],
      [
        { name: stretch ? "Copy the chosen stretch" : "Copy", keys: "Ctrl C", run: () => void acts.take(false) },
        { name: "Cut", keys: "Ctrl X", run: () => void acts.take(true) },
        { name: "Duplicate", keys: "Ctrl D", run: acts.duplicate },
        { name: stretch ? "Repeat the chosen stretch…" : "Repeat…", keys: "D", run: acts.askForRepeats },
        { name: "Loop to a length…", keys: "F", run: acts.askForLoop },
        ...(session.trackOfClip(id)?.part === "voice"
          ? []
          : [{ name: "Fit to a length…", keys: "Shift F", run: acts.showFit }]),
        { name: "Put in a pause here…", keys: "E", run: () => acts.askForTime(at) },
      ],
      [
        { name: "Bring to the front", keys: "B", run: () => acts.layer(true) },
        { name: "Put behind others", keys: "Shift B", run: () => acts.layer(false) },
        { name: "Render to a sound…", keys: "Shift R", run: acts.askForRendering },
        { name: "Show in the running order", run: showInList },
      ],
      [
        { name: what, keys: "Delete", run: () => acts.remove("") },
        { name: `${what} and close the gap`, keys: "Shift Delete", run: () => acts.remove("track") },
        { name: "Remove that time on all tracks", keys: "Ctrl Delete", run: () => acts.remove("all") },
      ],
    ];
  }

  function silenceName(silent: boolean): string {
    const stretch = acts.hushable();
    if (stretch) return stretch === "sound" ? "Let the stretch sound again" : "Silence the chosen stretch";
    return silent ? "Let it sound again" : "Silence it";
  }

  function forLane(track: string, at: number): Item[][] {
    const stretch = acts.range();
    const clear = [
      { name: "Remove what is in the range", keys: "Delete", run: () => acts.remove("") },
      { name: "Remove it and close the gap", keys: "Shift Delete", run: () => acts.remove("track") },
      { name: "Remove that time on all tracks", keys: "Ctrl Delete", run: () => acts.remove("all") },
      { name: "Copy the range", keys: "Ctrl C", run: () => void acts.take(false) },
      { name: "Name the range", keys: "Shift N", run: () => acts.mark(true) },
    ];
    const pasted = whatWasCopied() !== undefined;
    return [
      [
        {
          name: "Paste here",
          keys: "Ctrl V",
          run: there(at, () => void acts.paste()),
          off: !pasted && acts.pointsGoOn() === undefined,
        },
        {
          name: "Paste here and make room",
          keys: "Ctrl Shift V",
          run: there(at, () => void acts.paste(true)),
          off: !pasted,
        },
      ],
      [
        { name: "Close this gap", keys: "X", run: () => acts.closeGap(track, at, "track") },
        { name: "Close this gap on all tracks", keys: "Shift X", run: () => acts.closeGap(track, at, "all") },
        { name: "Put in a pause here…", keys: "E", run: () => acts.askForTime(at) },
      ],
      ...(stretch && acts.chosen().length === 0 ? [clear] : []),
      [
        { name: "Play the chosen stretch", keys: "C", run: () => playStretch(desk), off: !stretch },
        { name: "Play only the joins from here", keys: "Shift C", run: there(at, () => playJoins(desk)) },
      ],
      [
        { name: "Leave an empty place here", run: () => acts.leavePlace(track, at) },
        { name: "Marker here", keys: "N", run: there(at, () => acts.mark(false)) },
        { name: "Choose all clips of the track", keys: "A", run: () => acts.chooseAll("track") },
        { name: "Choose all from here on", keys: "Shift A", run: there(at, () => acts.chooseAll("rest")) },
      ],
    ];
  }

  function showInList(): void {
    desk.stage.value = "arrange";
    desk.arrangeTab.value = "order";
    void nextTick(() => document.querySelector(".order tr.chosen")?.scrollIntoView({ block: "nearest" }));
  }

  return { forClip, forLane };
}
