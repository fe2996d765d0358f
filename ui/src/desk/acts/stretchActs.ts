import { lengthText, parseTime, RATE, timeText } from "../../model/units";
import { useSession } from "../../stores/session";
import { announce } from "../../talk/announce";
import { chooseStretch } from "../state/choosing";
import type { DeskContext } from "../state/context";

/** A stretch is chosen without a pointer: by marks at the playhead, or by times that are typed. */
export function useStretchActs(desk: DeskContext, { chosen, at }: { chosen: () => string[]; at: () => number }) {
  const session = useSession();
  const { selection } = desk;
  const tracks = () => session.document?.tracks ?? [];

  /** The tracks that a stretch is chosen on with keys: those of the chosen clips, or all. */
  function stretchTracks(): string[] | undefined {
    const on = chosen().flatMap((id) => session.trackOfClip(id)?.id ?? []);
    return on.length > 0 ? [...new Set(on)] : undefined;
  }

  /** Marks an end of a stretch at the playhead; with the other end there, or marked before, it is chosen. */
  function markEnd(end: "from" | "to"): void {
    const old = desk.selection.range;
    const place = at();
    const waiting = desk.mark.value?.end === end ? undefined : desk.mark.value?.at;
    const other = waiting ?? (end === "from" ? old?.to : old?.from);
    const [from, to] = end === "from" ? [place, other] : [other, place];
    if (from !== undefined && to !== undefined && to > from) {
      desk.mark.value = undefined;
      chooseStretch(desk, session, { from, to, tracks: old ? old.tracks : stretchTracks() });
      announce(`Stretch from ${timeText(from)} to ${timeText(to)}, ${lengthText(to - from)}`);
      return;
    }
    selection.range = undefined;
    desk.mark.value = { end, at: place };
    announce(
      end === "from"
        ? `A stretch begins at ${timeText(place)}. Go to where it ends and mark that.`
        : `A stretch ends at ${timeText(place)}. Go to where it begins and mark that.`,
    );
  }

  /** Types where a stretch begins and ends. */
  function askForStretch(): void {
    const old = desk.selection.range;
    const [from, to] = [old?.from ?? at(), old?.to ?? at() + RATE];
    const own = stretchTracks();
    const names = tracks().filter((t) => own?.includes(t.id));
    const choices = [
      ...(own ? [{ name: `On ${names.map((t) => t.name).join(" and ")}`, value: "own" }] : []),
      { name: "On all tracks", value: "" },
    ];
    desk.question.value = {
      title: "Choose a stretch",
      fields: [
        { label: "From", value: from, text: timeText(from), parse: parseTime },
        { label: "To", value: to, text: timeText(to), parse: parseTime },
      ],
      choices,
      verb: "Choose it",
      answer: ([a, b], on) => {
        if (a === b) return session.say("A stretch ends later than it begins.");
        desk.mark.value = undefined;
        const [first, last] = [Math.min(a!, b!), Math.max(a!, b!)];
        chooseStretch(desk, session, { from: first, to: last, tracks: on ? own : undefined });
      },
    };
  }

  return { markEnd, askForStretch };
}
