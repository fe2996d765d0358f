import { nextTick } from "vue";
import { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { useActs } from "../acts/acts";
import { useKeymap } from "./keymap";
import { actOf } from "../acts/lists/list";

/** What can be done with a clip, or at an empty place of a lane. */
export interface Item {
  name: string;
  keys?: string;
  run: () => void;
  /** Why it cannot be done now, if it cannot. */
  off?: string;
}

/** What the menus are made of. */
export function useMenus(desk: DeskContext) {
  const session = useSession();
  const acts = useActs(desk);

  const { shownFor } = useKeymap();

  /** An act as it stands in the list of all, by a name that says what it means here. */
  function item(id: string, name?: string): Item {
    const act = actOf(desk, id);
    return { name: name ?? act.name, keys: shownFor(act), run: () => act.run(), off: act.off?.() };
  }

  /** An act at the place that was pointed at: the playhead goes there first. */
  function here(at: number, id: string, name: string, off?: string): Item {
    const { keys, run } = item(id);
    return { name, keys, off, run: there(at, run) };
  }

  const there = (at: number, run: () => void) => () => {
    desk.seek(at);
    run();
  };

  function forClip(id: string, at: number): Item[][] {
    const clip = session.clip(id);
    if (!clip) return [];
    const stretch = acts.stretchMeant();
    const what = stretch ? "Remove the chosen stretch" : "Remove";
    const music = session.trackOfClip(id)?.part !== "voice";
    return [
      [
        here(at, "split", "Split here"),
        here(at, "trim-start", "Trim the start to here"),
        here(at, "trim-end", "Trim the end to here"),
        item("join", "Join"),
      ],
      [
        here(at, "fade-in", "Fade in up to here"),
        here(at, "fade-out", "Fade out from here"),
        item("silence", silenceName(clip.silent ?? false)),
        ...(acts.range() || music
          ? [{ ...item("dip", "Dip its level line"), run: () => void acts.dipUnder(id), off: undefined }]
          : []),
        ...(acts.pointsGoOn() === undefined ? [] : [here(at, "paste", "Paste points here")]),
        item("gain", "Gain…"),
        { name: "Show its level and fades", run: showLevel },
      ],
      [
        item("copy", stretch ? "Copy the chosen stretch" : "Copy"),
        item("cut", "Cut"),
        item("duplicate", "Duplicate"),
        item("repeat", stretch ? "Repeat the chosen stretch…" : "Repeat…"),
        item("fill", "Fill a length…"),
        ...(music ? [item("fit", "Fit to a length…")] : []),
        { ...item("pause", "Put in a pause here…"), run: () => acts.askForTime(at) },
      ],
      [
        item("front", "Bring to the front"),
        item("behind", "Put behind others"),
        item("render", "Render to a sound…"),
        { name: "Show in the running order", run: showInList },
      ],
      [
        item("remove", what),
        item("remove-close", `${what} and close the gap`),
        item("remove-time", "Remove that time on all tracks"),
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
      item("remove", "Remove what is in the stretch"),
      item("remove-close", "Remove it and close the gap"),
      item("remove-time", "Remove that time on all tracks"),
      item("copy", "Copy the stretch"),
      item("name-range", "Name the stretch, as a range"),
    ];
    const gap = (id: string, close: "track" | "all", name: string) => ({
      ...item(id, name),
      run: () => acts.closeGap(track, at, close),
    });
    return [
      [
        here(at, "paste", "Paste here", actOf(desk, "paste").off?.()),
        here(at, "paste-room", "Paste here, and move what follows later", actOf(desk, "paste-room").off?.()),
      ],
      [
        gap("close-gap", "track", "Close this gap"),
        gap("close-gap-all", "all", "Close this gap on all tracks"),
        { ...item("pause", "Put in a pause here…"), run: () => acts.askForTime(at) },
      ],
      ...(stretch && acts.chosen().length === 0 ? [clear] : []),
      [item("play-stretch", "Play the chosen stretch"), here(at, "play-joins", "Play only the joins from here")],
      [
        { name: "Leave an empty place here", run: () => acts.leavePlace(track, at) },
        here(at, "marker", "Marker here"),
        item("choose-track", "Choose all clips of the track"),
        here(at, "choose-rest", "Choose all from here on"),
      ],
    ];
  }

  function showLevel(): void {
    desk.stage.value = "balance";
    desk.balanceTab.value = "level";
  }

  function showInList(): void {
    desk.stage.value = "arrange";
    desk.arrangeTab.value = "order";
    void nextTick(() => document.querySelector(".order tr.chosen")?.scrollIntoView({ block: "nearest" }));
  }

  return { forClip, forLane };
}
