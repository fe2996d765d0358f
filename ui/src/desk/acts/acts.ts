import { nextTick } from "vue";
import { levelText, parseLevel, parseTime, RATE, timeText } from "../../model/units";
import type { Op, Schema } from "../../api/client";
import { clipIn, clipsIn, clipsUnder } from "../../document/parts";
import type { Document } from "../../document/sheet";
import { useSession } from "../../stores/session";
import { useSounds } from "../../stores/sounds";
import { copy, whatWasCopied } from "./clipboard";
import type { DeskContext } from "../state/context";
import { goOn } from "../../talk/focus";
import { useLevelActs } from "./levelActs";
import { useStretchActs } from "./stretchActs";
import { lineOf } from "../../document/lines";

/** How a gap is closed: not at all, on its track, or on all tracks. */
type Closing = "" | "track" | "all";

const DEFAULT_PAUSE = RATE / 2;

/** What can be done with what is chosen on the desk: by key, from the menu, and from the panel. */
export function useActs(desk: DeskContext) {
  const session = useSession();
  const sounds = useSounds();
  const { selection } = desk;

  const at = () => Math.round(desk.playhead.value);
  const tracks = () => session.document?.tracks ?? [];
  const chosen = () => selection.clips.filter((id) => session.clip(id));
  const chosenTracks = () => {
    const there = tracks().map((t) => t.id);
    const many = selection.tracks.filter((id) => there.includes(id));
    return many.length > 0 ? many : there.includes(selection.track) ? [selection.track] : [];
  };
  const range = () => {
    const r = selection.range;
    return r && r.to - r.from >= 1 ? { from: Math.round(r.from), to: Math.round(r.to) } : undefined;
  };

  const meant = () => (chosen().length > 0 ? chosen() : clipsUnder(session.document, at(), selection.track));

  const levels = useLevelActs(desk, { chosen, chosenTracks, range, meant });

  // What an act does is found out when its turn comes: the one before it may not have been kept yet when a key is pressed.

  function split(everywhere = false): void {
    const [place, ids, track] = [at(), [...selection.clips], selection.track];
    void session.edit((document) => {
      const inside = clipsUnder(document, place).filter((id) => ids.includes(id));
      const clips = inside.length > 0 && !everywhere ? inside : clipsUnder(document, place, everywhere ? "" : track);
      return clips.length > 0 ? { type: "split-clips", clips, at: place } : undefined;
    });
  }

  function trim(edge: "start" | "end"): void {
    const [place, ids, track] = [at(), [...selection.clips], selection.track];
    void session.edit((document) => {
      const there = ids.filter((id) => clipIn(document, id));
      const clips = there.length > 0 ? there : clipsUnder(document, place, track);
      const trims = clips.map((clip) => ({ clip, edge, at: place }));
      return trims.length > 0 ? { type: "trim-clips", trims } : undefined;
    });
  }

  function join(): void {
    if (chosen().length > 0) void session.edit({ type: "join-clips", clips: chosen() });
  }

  /** The chosen stretch, if it is one of the chosen clips or none is chosen. */
  function stretchMeant(): { from: number; to: number; tracks?: string[] } | undefined {
    const stretch = range();
    const clips = chosen();
    if (!stretch || clips.length === 0) return stretch && { ...stretch, tracks: selection.range?.tracks };
    const inside = clips.filter((id) => {
      const c = session.clip(id)!;
      return c.start < stretch.to && c.start + c.length > stretch.from;
    });
    // A stretch that was chosen on the tracks of these clips means them all, also where it is empty.
    const own = selection.range?.tracks;
    const all = own && clips.every((id) => own.includes(session.trackOfClip(id)!.id));
    const on = all ? own : [...new Set(inside.map((id) => session.trackOfClip(id)!.id))];
    return inside.length > 0 ? { ...stretch, tracks: on } : undefined;
  }

  /** Removes the chosen points, the chosen stretch of time, or the chosen clips. */
  function remove(close: Closing): void {
    const closing = close === "" ? {} : { close };
    const line = lineOf(session.document, selection.line);
    if (selection.points.length > 0 && line) {
      const points = selection.points.map((at) => ({ ...line.named, at }));
      void session.edit({ type: "remove-points", points });
      selection.points = [];
      return;
    }
    const stretch = stretchMeant();
    const clips = chosen();
    if (stretch) {
      const { from, to, tracks: on } = stretch;
      const where = close === "all" ? {} : { tracks: on };
      void session.edit({ type: "remove-ranges", ranges: [{ from, to }], ...where, ...closing });
      selection.range = undefined;
      if (close !== "") desk.seek(from);
    } else if (clips.length > 0) {
      selection.clips = [];
      void session.edit({ type: "remove-clips", clips, ...closing });
    }
  }

  function closeGap(track: string, place: number, close: Exclude<Closing, "">): void {
    if (track) void session.edit({ type: "close-gap", track, at: Math.round(place), close });
  }

  /** What is copied: a stretch of the chosen clips or tracks, or the chosen clips. */
  function copying(): Schema["Copying"] | undefined {
    const stretch = stretchMeant();
    const clips = chosen();
    if (!stretch) return clips.length > 0 ? { clips } : undefined;
    const { from, to, tracks: on } = stretch;
    return clips.length > 0 ? { clips, range: { from, to } } : { range: { from, to }, tracks: on };
  }

  async function take(cut: boolean): Promise<void> {
    if (levels.copyPoints(cut)) return;
    levels.forgetPoints();
    const what = copying();
    const on = stretchMeant()?.tracks;
    if (!what || !(await copy(session, what)) || !cut) return;
    // What was copied goes, whatever has been chosen meanwhile.
    if (what.range) void session.edit({ type: "remove-ranges", ranges: [what.range], tracks: on });
    else if (what.clips) void session.edit({ type: "remove-clips", clips: what.clips });
    selection.range = undefined;
  }

  async function paste(makeRoom = false): Promise<void> {
    if (levels.pastePoints()) return;
    const fragment = whatWasCopied();
    if (!fragment) return;
    const known = new Set(Object.keys(session.document?.sounds ?? {}));
    const track = tracks().find((t) => t.id === selection.track)?.id;
    const change = await session.edit({ type: "paste-clips", at: at(), track, makeRoom, ...fragment });
    const fresh = fragment.rows.some((r) => r.clips.some((c) => !known.has(c.sound)));
    if (change && fresh) void sounds.refresh().catch(() => undefined);
  }

  function duplicate(): void {
    const clips = chosen();
    const end = Math.max(0, ...clips.map((id) => session.clip(id)!.start + session.clip(id)!.length));
    if (clips.length > 0) void session.edit({ type: "copy-clips", clips, start: end });
  }

  /** An edit of the chosen clips, each as it is when its turn comes. */
  function ofChosen(make: (clips: ReturnType<typeof clipsIn>, document: Document) => Op | undefined): void {
    const ids = chosen();
    if (ids.length > 0) void session.edit((document) => make(clipsIn(document, ids), document));
  }

  /** Makes the chosen clips louder or softer; a key that is held down adds up. */
  function louder(by: number): void {
    ofChosen((clips) => ({
      type: "set-clips",
      clips: clips.map(({ id, clip }) => ({ clip: id, gain: Math.round((clip.gain + by) * 10) / 10 })),
    }));
  }

  function nudge(frames: number): void {
    ofChosen((clips) => ({
      type: "move-clips",
      moves: clips.map(({ id, clip }) => ({ clip: id, start: clip.start + frames })),
    }));
  }

  function slip(frames: number): void {
    ofChosen((clips) => ({
      type: "slip-clips",
      slips: clips.map(({ id, clip }) => ({ clip: id, offset: clip.offset + frames })),
    }));
  }

  /** Moves the chosen clips to the track above or below. */
  function changeTrack(by: 1 | -1): void {
    ofChosen((clips, document) => {
      const rows = document.tracks.map((t) => t.id);
      const moves = clips.map(({ id, clip, track }) => ({
        clip: id,
        start: clip.start,
        track: rows[rows.indexOf(track) + by],
      }));
      return moves.every((m) => m.track) ? { type: "move-clips", moves } : undefined;
    });
  }

  /** Silences the chosen stretch of clips, or whole clips, or lets them sound again. */
  function silence(): void {
    const clips = meant();
    const stretch = levels.hushable();
    if (stretch) return levels.hush(stretch === "sound");
    const silent = clips.some((id) => !session.clip(id)?.silent);
    if (clips.length > 0) void session.edit({ type: "set-clips", clips: clips.map((clip) => ({ clip, silent })) });
  }

  function layer(front: boolean): void {
    if (chosen().length > 0) void session.edit({ type: "layer-clips", clips: chosen(), front });
  }

  function fade(edge: "in" | "out"): void {
    const fades = meant().map((clip): Schema["ClipFades"] => {
      const c = session.clip(clip)!;
      const [length, shape] =
        edge === "in" ? [at() - c.start, c.fadeIn.shape] : [c.start + c.length - at(), c.fadeOut.shape];
      return { clip, [edge]: { length: Math.max(0, length), shape } };
    });
    if (fades.length > 0) void session.edit({ type: "set-fades", fades });
  }

  function chooseAll(what: "all" | "track" | "rest"): void {
    const rows =
      what === "all" || chosenTracks().length === 0 ? tracks() : tracks().filter((t) => chosenTracks().includes(t.id));
    selection.points = [];
    selection.clips = rows.flatMap((t) =>
      Object.entries(t.clips)
        .filter(([, c]) => what !== "rest" || c.start + c.length > at())
        .map(([id]) => id),
    );
  }

  /** Puts time or a pause in at a place. */
  function askForTime(place = at()): void {
    const track = tracks().find((t) => t.id === selection.track);
    desk.question.value = {
      title: "Put in a pause",
      explained: `What lies after ${timeText(place)} moves later. On voice tracks the pause is filled with the room's own sound.`,
      fields: [{ label: "Length", value: DEFAULT_PAUSE, text: timeText(DEFAULT_PAUSE), parse: parseTime }],
      choices: [
        { name: "On all tracks", value: "" },
        ...(track ? [{ name: `On ${track.name} alone`, value: track.id }] : []),
      ],
      verb: "Put it in",
      answer: ([length], on) =>
        void session.edit({
          type: "insert-time",
          at: place,
          length: length!,
          tracks: on ? [on] : undefined,
          room: true,
        }),
    };
  }

  /** Types the gain of the chosen clips. */
  function askForGain(): void {
    const clips = meant();
    const gain = clips[0] === undefined ? undefined : session.clip(clips[0])?.gain;
    if (gain === undefined) return;
    const [what, many] = [session.clip(clips[0]!)!.name, clips.length > 1];
    desk.question.value = {
      title: "Gain",
      explained: `Of ${many ? `${clips.length} clips` : what}, in dB or per cent: −6, 50 %, silence.`,
      fields: [{ label: "Gain", value: gain, text: levelText(gain), parse: parseLevel }],
      verb: "Set it",
      answer: ([to]) => void session.edit({ type: "set-clips", clips: clips.map((clip) => ({ clip, gain: to! })) }),
    };
  }

  /** Repeats the chosen stretch of a clip, or the clip. */
  function askForRepeats(): void {
    const [clip] = meant();
    const c = clip && session.clip(clip);
    if (!c) return;
    const stretch = range() ?? { from: c.start, to: c.start + c.length };
    const [from, to] = [Math.max(stretch.from, c.start), Math.min(stretch.to, c.start + c.length)];
    desk.question.value = {
      title: "Repeat a stretch",
      explained: `${timeText(to - from)} of ${c.name} is heard again at once; what follows on its track moves later.`,
      fields: [{ label: "Times more", value: 2, text: "2", parse: wholeNumber }],
      verb: "Repeat",
      answer: ([times]) => void session.edit({ type: "repeat-stretch", clip, from, to, times: times! }),
    };
  }

  /** Lets a clip begin again until it fills a length. */
  function askForLoop(): void {
    const [clip] = meant();
    const c = clip && session.clip(clip);
    if (!c) return;
    const until = range()?.to ?? session.length;
    const length = Math.max(until - c.start, c.length + RATE);
    desk.question.value = {
      title: "Fill a length",
      explained: `${c.name} begins again, on its beat if it has one, until it fills this length. Now it has ${timeText(c.length)}.`,
      fields: [{ label: "Length", value: length, text: timeText(length), parse: parseTime }],
      verb: "Fill it",
      answer: ([filled]) => void session.edit({ type: "loop-clip", clip, length: filled! }),
    };
  }

  /** Leaves an empty place on a track: the chosen stretch, or ten seconds. */
  function leavePlace(track: string, at: number): void {
    const stretch = range();
    const [from, to] = stretch ? [stretch.from, stretch.to] : [at, at + 10 * RATE];
    void session.edit({ type: "add-place", track, at: Math.round(from), length: Math.round(to - from) });
  }

  /** Shows how the chosen piece can be brought to another length. */
  function showFit(): void {
    desk.stage.value = "arrange";
    desk.arrangeTab.value = "fit";
    void nextTick(() => document.querySelector<HTMLElement>('[aria-label="Fit to the length"]')?.focus());
  }

  /** Renders the chosen clips, or those that sound in the chosen stretch, to one sound. */
  function askForRendering(): void {
    const stretch = range();
    const on = selection.range?.tracks;
    const touched = (t: Schema["Track"]) =>
      Object.entries(t.clips).filter(([, c]) => stretch && c.start < stretch.to && c.start + c.length > stretch.from);
    const inside = tracks().filter((t) => !on || on.includes(t.id));
    const clips = chosen().length > 0 ? chosen() : inside.flatMap((t) => touched(t).map(([id]) => id));
    if (clips.length > 0) desk.rendering.value = { clips, stretch };
    else session.say("Choose clips, or a stretch in which something sounds, to render them to a sound.");
  }

  function mark(named: boolean): void {
    const stretch = range();
    if (named && stretch) {
      void session.edit({ type: "add-marker", at: stretch.from, length: stretch.to - stretch.from, name: "Range" });
    } else void session.edit({ type: "add-marker", at: at() });
  }

  /** Makes a chapter of the chosen stretch, or from the playhead on, and goes on where its name is typed. */
  function chapter(): void {
    const stretch = range();
    const place = stretch?.from ?? at();
    const length = stretch && stretch.to - stretch.from;
    void session.edit({ type: "add-marker", at: place, length, name: "Chapter", chapter: true });
    desk.stage.value = "arrange";
    desk.arrangeTab.value = "marks";
    desk.panelOpen.value = true;
    goOn(`aside.panel [aria-label="Name of the marker at ${timeText(place)}"]`);
  }

  function duplicateTracks(): void {
    if (chosenTracks().length > 0) void session.edit({ type: "duplicate-tracks", tracks: chosenTracks() });
  }

  /** Moves the chosen tracks up or down by one place. */
  function moveTracks(by: 1 | -1): void {
    const rows = tracks().map((t) => t.id);
    const moving = chosenTracks();
    const places = moving.map((id) => rows.indexOf(id));
    if (places.length === 0) return;
    const next = by < 0 ? Math.min(...places) - 1 : Math.max(...places) + 2;
    if (next < 0 || next > rows.length) return;
    void session.edit({ type: "move-tracks", tracks: moving, before: rows[next] });
  }

  function toggle(what: "mute" | "solo"): void {
    const rows = tracks().filter((t) => chosenTracks().includes(t.id));
    const on = rows.some((t) => !t[what]);
    if (rows.length > 0) {
      void session.edit({ type: "set-tracks", tracks: rows.map((t) => ({ track: t.id, [what]: on })) });
    }
  }

  /** Goes to the next or the last place where something begins, ends or is marked. */
  function jump(by: 1 | -1): void {
    const places = tracks().flatMap((t) => Object.values(t.clips).flatMap((c) => [c.start, c.start + c.length]));
    for (const m of Object.values(session.document?.markers ?? {})) places.push(m.at, m.at + m.length);
    const next = by > 0 ? places.filter((p) => p > at()) : places.filter((p) => p < at());
    if (next.length > 0) desk.seek(by > 0 ? Math.min(...next) : Math.max(...next));
  }

  return {
    ...levels,
    askForRendering,
    chosen,
    chosenTracks,
    range,
    stretchMeant,
    split,
    trim,
    join,
    remove,
    closeGap,
    take,
    paste,
    duplicate,
    louder,
    nudge,
    slip,
    changeTrack,
    silence,
    layer,
    fade,
    chooseAll,
    askForTime,
    askForGain,
    askForRepeats,
    askForLoop,
    showFit,
    leavePlace,
    mark,
    chapter,
    duplicateTracks,
    moveTracks,
    toggle,
    jump,
    ...useStretchActs(desk, { chosen, at }),
  };
}

function wholeNumber(text: string): number | undefined {
  const value = Number(text.trim());
  return Number.isInteger(value) && value >= 1 && value <= 1000 ? value : undefined;
}
