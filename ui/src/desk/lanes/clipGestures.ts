import type { Schema } from "../../api/client";
import { modified } from "../../model/machine";
import { timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { newGesture, startDrag } from "../widgets/drag";
import { chooseClip, type Held } from "../state/choosing";
import { moveClips } from "./moving";
import { snap, snapPlaces } from "./snap";
import { dragStretch, lanesBetween } from "./stretch";

/** A clip as its gestures know it. */
interface Grabbed {
  id: string;
  clip: Schema["Clip"];
  track: string;
  part: Schema["Track"]["part"];
}

/** What a hand does with a clip: its title moves it, its body is for stretches, its edges trim it. */
export function useClipGestures(desk: DeskContext, props: Grabbed, chosen: () => boolean) {
  const session = useSession();

  const choose = (event?: Held) => chooseClip(desk, session, props.id, event);

  function press(event: PointerEvent): void {
    if (event.button !== 0) return;
    // Both keys mean more of what is chosen while the press is a click, and something of their own when it is a drag.
    if (!(event.target as Element).closest(".head")) stretch(event);
    else if (event.shiftKey) slip(event);
    else moveClips(event, desk, session, props.id, () => choose(event));
  }

  /** Over the body of a clip a stretch is chosen, on the tracks that it crosses, with Shift on those that are chosen. */
  function stretch(event: PointerEvent): void {
    const { left } = (event.currentTarget as HTMLElement).closest("[data-track]")!.getBoundingClientRect();
    const already = [...new Set([...desk.selection.tracks, props.track])];
    dragStretch(event, desk, session, {
      left,
      on: (e) => (event.shiftKey ? already : lanesBetween(event.clientY, e.clientY)),
      withClips: true,
      click: (e, at) => {
        // What was chosen with it is let go of, and a stretch too, unless it is the one that this clip is meant for.
        if (chosen() && !e.shiftKey && !modified(e)) {
          Object.assign(desk.selection, { clips: [props.id], range: undefined, points: [] });
        } else choose(e);
        if (!e.shiftKey && !modified(e)) desk.seek(at);
      },
    });
    desk.selection.track = props.track;
  }

  function slip(event: PointerEvent): void {
    const gesture = newGesture();
    const { offset } = props.clip;
    startDrag(event, {
      move: ({ dx, event: e }) => {
        const to = Math.round(offset - dx * desk.time.scale);
        desk.tag.value = { x: e.clientX, y: e.clientY, text: `begins ${timeText(Math.max(0, to))} into its sound` };
        void session.edit({ type: "slip-clips", slips: [{ clip: props.id, offset: to }] }, gesture);
      },
      click: choose,
      back: () => session.takeBack(gesture),
      end: letGo,
    });
  }

  function trim(event: PointerEvent, edge: "start" | "end"): void {
    choose();
    const at = edge === "start" ? props.clip.start : props.clip.start + props.clip.length;
    const places = snapPlaces(session.document!, desk, [props.id]);
    const gesture = newGesture();
    let wish: number | undefined;
    const fits =
      edge === "end" && desk.stage.value === "arrange" && desk.arrangeTab.value === "fit" && props.part !== "voice";
    startDrag(event, {
      move: ({ dx, event: e }) => {
        let to = at + dx * desk.time.scale;
        to = Math.max(0, Math.round(to + snap(desk, places, [to], e.altKey)));
        desk.tag.value = { x: e.clientX, y: e.clientY, text: timeText(to) };
        if (fits) {
          wish = to;
          desk.ghosts.value = [
            { track: props.track, start: props.clip.start, length: Math.max(1, to - props.clip.start) },
          ];
        } else void session.edit({ type: "trim-clips", trims: [{ clip: props.id, edge, at: to }] }, gesture);
      },
      back: () => {
        wish = undefined;
        session.takeBack(gesture);
      },
      end: () => {
        letGo();
        desk.ghosts.value = [];
        if (wish === undefined) return;
        desk.fitting.value = { clip: props.id, until: wish, settled: false };
      },
    });
  }

  function letGo(): void {
    desk.tag.value = desk.guide.value = undefined;
  }

  return { choose, press, trim };
}
