import { api, ask, type Schema } from "../../api/client";
import { levelAt } from "../../drawing/level";
import { levelText, parseLevel, RATE, timeText } from "../../model/units";
import { gone, trackIn } from "../../document/parts";
import { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { useKept } from "../state/kept";
import { handLevel, lineOf, placesOf } from "../../document/lines";
import { tell } from "../../talk/tell";

/** Frames in which the gain of a stretch changes at its ends: too short to be heard as a fade, too long for a click. */
const STEP = RATE / 100;

/** What is chosen on the desk. */
interface Chosen {
  chosen: () => string[];
  chosenTracks: () => string[];
  range: () => { from: number; to: number } | undefined;
  meant: () => string[];
}

/** Points as they were copied, in time from the first of them. */
interface CopiedPoints {
  points: Schema["Point"][];
}

/** What can be done with levels: of lines, stretches, faders. */
export function useLevelActs(desk: DeskContext, { chosen, chosenTracks, range, meant }: Chosen) {
  const session = useSession();
  const { selection } = desk;
  const dip = useKept("ruvel-dip", { by: -18, before: RATE, after: RATE });
  const copied = useKept<CopiedPoints>("ruvel-points", { points: [] });

  /** The lines that are meant: those of the chosen tracks while these are shown, or those of the chosen clips. */
  const lines = () => (desk.lines.value.tracks ? chosenTracks() : chosen());
  const named = (id: string) => lineOf(session.document, id)!.named;

  function pointHere(to?: number): void {
    const at = Math.round(desk.playhead.value);
    const points = lines().flatMap((id) => {
      const line = lineOf(session.document, id);
      if (!line || at < line.from || at >= line.to) return [];
      const own = at - line.zero;
      return [{ ...line.named, at: own, level: to ?? levelAt(line.points, own) }];
    });
    if (points.length > 0) void session.edit({ type: "add-points", points });
  }

  /** Types the level of a point at the playhead: a new one, or the one that stands there. */
  function askForPoint(): void {
    const at = Math.round(desk.playhead.value);
    const line = lineOf(session.document, lines()[0] ?? "");
    if (!line) return;
    const now = levelAt(line.points, at - line.zero);
    desk.question.value = {
      title: `A point at ${timeText(at)}`,
      explained: "On the level line of what is chosen, in dB or per cent: −18, 12.6 %, silence.",
      fields: [{ label: "Level", value: now, text: levelText(now), parse: parseLevel }],
      verb: "Put it there",
      answer: ([level]) => pointHere(level),
    };
  }

  /** Makes a stretch of the chosen clips louder or softer. */
  function lift({ from, to, by }: { from: number; to: number; by: number }): void {
    const clips = chosen().filter((id) => {
      const c = session.clip(id)!;
      return c.start < to && c.start + c.length > from;
    });
    if (clips.length === 0 || by === 0) return;
    const half = Math.min(STEP, Math.floor((to - from) / 3));
    const inside = { from: from + half, to: to - half, before: Math.max(1, half), after: Math.max(1, half) };
    void session.edit({ type: "lift-stretch", lines: clips.map(named), by, ...inside });
  }

  /** Silences the chosen stretch of clips, or lets it sound again. */
  function hush(sound: boolean): void {
    const stretch = range();
    const clips = meant();
    if (stretch && clips.length > 0) void session.edit({ type: "hush-stretch", clips, ...stretch, sound });
  }

  /** Whether the chosen stretch lies in what is meant, so that it can be silenced by itself. */
  function hushable(): "silence" | "sound" | undefined {
    const stretch = range();
    const clips = meant().flatMap((id) => session.clip(id) ?? []);
    const inside = clips.filter((c) => stretch && c.start < stretch.to && c.start + c.length > stretch.from);
    if (!stretch || inside.length === 0) return undefined;
    const hushed = inside.some((c) =>
      (c.hushed ?? []).some(
        (s) => s.from - c.offset + c.start < stretch.to && s.to - c.offset + c.start > stretch.from,
      ),
    );
    return hushed ? "sound" : "silence";
  }

  function shiftLine(id: string, by: number): void {
    if (by !== 0) void session.edit({ type: "shift-lines", lines: [named(id)], by });
  }

  function clearLine(id: string): void {
    selection.points = [];
    void session.edit({ type: "clear-lines", lines: [named(id)] });
  }

  /** Chooses all points of a line, or those in the chosen stretch of time. */
  function choosePoints(id = selection.line): void {
    const line = lineOf(session.document, id);
    if (!line) return;
    const stretch = range();
    const inside = line.points.filter((p) => {
      const time = line.zero + p.at;
      return stretch ? time >= stretch.from && time <= stretch.to : time >= line.from && time <= line.to;
    });
    selection.line = id;
    selection.points = inside.map((p) => p.at);
  }

  /** Copies the chosen points, if there are any. */
  function copyPoints(cut: boolean): boolean {
    const line = lineOf(session.document, selection.line);
    const places = line ? placesOf(line, selection.points) : [];
    if (!line || places.length === 0) return false;
    const first = line.points[places[0]!]!.at;
    copied.value = { points: places.map((place) => ({ ...line.points[place]!, at: line.points[place]!.at - first })) };
    if (cut) {
      const points = places.map((place) => ({ ...line.named, at: line.points[place]!.at }));
      selection.points = [];
      void session.edit({ type: "remove-points", points });
    }
    return true;
  }

  /** The line that copied points would be put on, if there are any. */
  function pointsGoOn(): string | undefined {
    const [id] = lines();
    return copied.value.points.length > 0 && id !== undefined && lineOf(session.document, id) ? id : undefined;
  }

  /** Puts what was copied on a line, from the playhead on. */
  function pastePoints(): boolean {
    const id = pointsGoOn();
    const line = id === undefined ? undefined : lineOf(session.document, id);
    if (!line) return false;
    const from = Math.max(0, Math.round(desk.playhead.value) - line.zero);
    const points = copied.value.points.map((p) => ({ ...line.named, ...p, at: from + p.at }));
    void session.edit({ type: "add-points", points }).then((change) => {
      if (change) Object.assign(selection, { line: id, points: points.map((p) => p.at) });
    });
    return true;
  }
  const forgetPoints = () => (copied.value = { points: [] });

  /** Dips a line under the chosen stretch, or under what is spoken while it is heard. */
  async function dipUnder(id: string): Promise<void> {
    const line = lineOf(session.document, id);
    if (!line) return;
    const stretch = range() ?? (await spoken(line.from, line.to));
    if (!stretch) return;
    const { by, before, after } = dip.value;
    const { from, to } = stretch;
    const change = await session.edit({ type: "lift-stretch", lines: [line.named], from, to, by, before, after });
    const points = [from - before, from, to, to + after].map((time) => Math.max(0, time - line.zero));
    if (change) Object.assign(selection, { line: id, points });
  }

  /** From the first word to the last that is heard in a stretch; what is wrong with that is said. */
  async function spoken(from: number, to: number): Promise<{ from: number; to: number } | undefined> {
    const params = { path: { episode: session.open!.episode }, query: { from, to } };
    try {
      const { spans } = await ask(api.GET("/episodes/{episode}/speech", { params }));
      const [first, last] = [spans[0], spans[spans.length - 1]];
      if (first && last) return { from: first.from, to: last.to };
      session.say("Nobody is heard to speak over it. Choose a stretch of time on the ruler to dip under that.");
    } catch (error) {
      tell(error);
    }
    return undefined;
  }

  /** Moves a fader, and those of the tracks that were chosen with it by as much. */
  function setFader(track: string, level: number, gesture?: string): void {
    const ids = chosenTracks().includes(track) ? chosenTracks() : [track];
    void session.edit((document) => {
      const fader = (id: string) => trackIn(document, id)?.fader;
      const now = fader(track);
      if (now === undefined) throw gone("The track");
      const by = level - now;
      const faders = ids.flatMap((id) => {
        const now = fader(id);
        return now === undefined ? [] : [{ track: id, level: id === track ? level : handLevel(now + by) }];
      });
      return faders.length > 0 ? { type: "move-faders", faders } : undefined;
    }, gesture);
  }

  function group(tracks: string[], apart: boolean): void {
    void session.edit({ type: "group-tracks", tracks, apart });
  }

  /** Lets one track alone be heard, or all again if it is alone already. */
  function soloAlone(track: string): void {
    const rows = session.document?.tracks ?? [];
    const alone = rows.every((t) => t.solo === (t.id === track));
    void session.edit({
      type: "set-tracks",
      tracks: rows.map((t) => ({ track: t.id, solo: !alone && t.id === track })),
    });
  }

  return {
    dip,
    pointHere,
    askForPoint,
    lift,
    hush,
    hushable,
    shiftLine,
    clearLine,
    choosePoints,
    copyPoints,
    pointsGoOn,
    pastePoints,
    forgetPoints,
    dipUnder,
    setFader,
    group,
    soloAlone,
  };
}
