import { inject, provide, reactive, ref, type InjectionKey, type Ref } from "vue";
import type { Player } from "../../listening/player";
import type { Recorder } from "../../recording/recorder";
import type { Heights } from "./heights";
import { Hearing } from "../../listening/hearing";
import { tell } from "../../talk/tell";

/** The least and the most frames that a pixel can stand for: at the one end a frame has twenty pixels to itself. */
export const FINEST = 1 / 20;
export const COARSEST = 1_500_000;

/** Pixels after which more is laid out while time is scrolled; in between it is only shifted. */
const STRIDE = 1024;
/** Pixels after which all is laid out from another origin, so that places stay small numbers. */
const FAR = 16 * STRIDE;
/** Milliseconds for which zooming rests before clips are laid out at the new scale; until then they are stretched. */
const REST = 90;
/** How much they may be stretched at most. */
const MOST_STRETCH = 3;

/** How session time lies on the screen. */
export class Timescale {
  /** Frames a pixel. */
  scale = 4800;
  /** The session frame at the left edge of the lanes. */
  start = 0;
  /** Width of the lanes in pixels. */
  width = 768;
  /**
   * How clips are laid out: in pixels from an origin, a session frame, at a scale, as far as they lie around an anchor. It
   * changes rarely, so that scrolling and zooming only move and stretch what has been drawn.
   */
  laid = { scale: 4800, origin: 0, anchor: 0 };
  private resting = 0;

  x(frame: number): number {
    return (frame - this.start) / this.scale;
  }
  frame(x: number): number {
    return Math.round(this.start + x * this.scale);
  }
  get end(): number {
    return this.start + this.width * this.scale;
  }
  /** Where a frame lies in what has been laid out. */
  laidX(frame: number): number {
    return (frame - this.laid.origin) / this.laid.scale;
  }
  /** What is laid out, in pixels from the origin: all that can be seen before it is laid out anew, and a little more. */
  get laidFrom(): number {
    return this.laidX(this.laid.anchor) - STRIDE / 2;
  }
  get laidTo(): number {
    return this.laidX(this.laid.anchor) + this.width + STRIDE * 1.5;
  }
  /** How what has been laid out is put on the screen. */
  get transform(): string {
    const stretch = this.laid.scale / this.scale;
    const shift = (this.laid.origin - this.start) / this.scale;
    return stretch === 1 ? `translateX(${shift}px)` : `translateX(${shift}px) scaleX(${stretch})`;
  }
  /** Shows another stretch; the scale is held within what can be drawn. */
  show(start: number, scale = this.scale): void {
    this.scale = Math.min(Math.max(scale, FINEST), COARSEST);
    this.start = Math.max(0, this.scale >= 1 ? Math.round(start) : start);
    this.lay();
  }
  /** Makes everything wider or narrower around a place. */
  zoom(factor: number, x = this.width / 2): void {
    const pivot = this.start + x * this.scale;
    this.scale = Math.min(Math.max(this.scale * factor, FINEST), COARSEST);
    const start = pivot - x * this.scale;
    this.start = Math.max(0, this.scale >= 1 ? Math.round(start) : start);
    const stretch = this.laid.scale / this.scale;
    window.clearTimeout(this.resting);
    if (stretch > MOST_STRETCH || stretch < 1 / MOST_STRETCH || !this.covered()) this.lay();
    else this.resting = window.setTimeout(() => this.lay(), REST);
  }
  /** Whether all that is on the screen has been laid out. */
  private covered(): boolean {
    const from = this.laidX(this.start);
    return from >= this.laidFrom && this.laidX(this.end) <= this.laidTo;
  }
  /** Lays clips out where they are shown now. */
  lay(): void {
    window.clearTimeout(this.resting);
    const step = STRIDE * this.scale;
    const anchor = Math.floor(this.start / step) * step;
    if (anchor === this.laid.anchor && this.scale === this.laid.scale) return;
    const far = FAR * this.scale;
    this.laid = { scale: this.scale, anchor, origin: Math.floor(anchor / far) * far };
  }
  fit(from: number, to: number): void {
    const scale = Math.max(16, to - from) / Math.max(100, this.width);
    this.show(from - scale * 4, scale * 1.03);
  }
}

export interface Selection {
  clips: string[];
  /** The track that was chosen last. */
  track: string;
  /** All chosen tracks, that one included. */
  tracks: string[];
  /** The clip or track whose level line has chosen points, and the times at which they stand on it. */
  line: string;
  points: number[];
  /** A stretch of time, on some tracks or on all. */
  range: { from: number; to: number; tracks?: string[] } | undefined;
}

/** Where a clip would come to lie. */
export interface Ghost {
  track: string;
  start: number;
  length: number;
}

/** The timeline as keys know it: one stop, with arrows inside. */
export interface Timeline {
  /** Comes into it: to what is chosen, or to where one was. */
  comeIn: () => boolean;
}

/** Something to be typed before an act can be carried out. */
export interface Question {
  title: string;
  explained?: string;
  fields: { label: string; value: number; text: string; parse: (text: string) => number | undefined }[];
  /** Choices of which one is taken, such as on which tracks. */
  choices?: { name: string; value: string }[];
  verb: string;
  answer: (values: number[], choice: string) => void;
}

export type Stage = "gather" | "arrange" | "balance" | "check" | "handover";

export type CheckTab = "findings" | "loudness" | "compare" | "notes";

export type GatherTab = "sounds" | "music" | "record" | "credits";

export type BalanceTab = "level" | "treatment" | "room" | "voices";

export type HandoverTab = "files" | "details" | "share" | "feed";

export type ArrangeTab = "order" | "marks" | "pauses" | "fit" | "past";

/** What the parts of the desk share. */
export interface DeskContext {
  time: Timescale;
  selection: Selection;
  player: Player;
  recorder: Recorder;
  /** Sounds that are heard by themselves. */
  hearing: Hearing;
  /** Makes way for something that is to be heard by itself, and says whether it may be now. */
  mayHear: () => boolean;
  timeline: Ref<Timeline | undefined>;
  playhead: Ref<number>;
  /** The time on the deck is typed over. */
  timing: Ref<boolean>;
  /** One end of a stretch that waits for the other. */
  mark: Ref<{ end: "from" | "to"; at: number } | undefined>;
  guide: Ref<number | undefined>;
  tag: Ref<{ x: number; y: number; text: string } | undefined>;
  stage: Ref<Stage>;
  gatherTab: Ref<GatherTab>;
  /** The track that is recorded onto. */
  armed: Ref<string>;
  /** The script is shown large, to be read from. */
  reading: Ref<boolean>;
  loopOn: Ref<boolean>;
  heights: Heights;
  /** Where copies would come to lie that are being dragged. */
  ghosts: Ref<Ghost[]>;
  /** The menu that is open on a clip or on an empty place of a lane. */
  menu: Ref<{ x: number; y: number; clip?: string; track: string; at: number } | undefined>;
  question: Ref<Question | undefined>;
  /** Clips that are to become one sound, of a stretch alone if one is chosen. */
  rendering: Ref<{ clips: string[]; stretch: { from: number; to: number } | undefined } | undefined>;
  /** The playhead is being dragged, and follows the hand instead of the sound. */
  scrubbing: Ref<boolean>;
  /** The view goes with the playhead. */
  following: Ref<boolean>;
  /** Stretches that are shown on the timeline as what would be taken out. */
  proposed: Ref<{ from: number; to: number; chosen: boolean }[]>;
  arrangeTab: Ref<ArrangeTab>;
  balanceTab: Ref<BalanceTab>;
  handoverTab: Ref<HandoverTab>;
  /** Room is being made for speech: what would change is shown before it is. */
  rooming: Ref<boolean>;
  /** The field that finds acts is open, or the sheet of all keys. */
  finder: Ref<boolean>;
  keysShown: Ref<boolean>;
  /** The panel is there, or folded away. */
  panelOpen: Ref<boolean>;
  /** A clip that is to be fitted so that it ends at a time; not settled while its end was dragged there and it has not been made. */
  fitting: Ref<{ clip: string; until: number; settled: boolean } | undefined>;
  checkTab: Ref<CheckTab>;
  /** Another version of the mix that is heard in the place of the present one, and how much softer either is made. */
  compared: Ref<{ of: string; gain: number } | undefined>;
  /** Where the pointer is on a clip. */
  pointed: Ref<{ clip: string; at: number } | undefined>;
  /** What is shown over the waves: level lines of clips, those of tracks over their lanes, and what treatments take away. */
  lines: Ref<{ clips: boolean; tracks: boolean; taken: boolean }>;
  /** Tracks are heard without their treatment: all, or those that were chosen then. */
  bare: Ref<string[]>;
  /** Tracks are heard as if they did not make way for speech. */
  staying: Ref<string[]>;
  /** A ramp that is being drawn, from a session time and level to another, on the line of a clip or a track. */
  ramp: Ref<{ line: string; from: number; to: number; start: number; level: number } | undefined>;
  seek: (frame: number) => void;
  /** Moves the playhead to a frame and plays from there; while a take is recorded it stays with that. */
  playFrom: (frame: number) => void;
  /** Lets files be chosen, which end up where dropped ones would. */
  chooseFiles: Ref<(at?: { start: number; track?: string }) => void>;
}

const key: InjectionKey<DeskContext> = Symbol("desk");

export function makeDeskContext(player: Player, recorder: Recorder, heights: Heights): DeskContext {
  const playhead = ref(0);
  // One thing is heard at a time; while a take is recorded, only what it is spoken to.
  const mayHear = () => {
    if (recorder.busy) tell("A take is being recorded. End it first; then this can be heard.", "warning");
    else player.pause();
    return !recorder.busy;
  };
  const hearing = new Hearing(mayHear);
  player.before = () => hearing.stop();
  const context: DeskContext = {
    time: reactive(new Timescale()) as Timescale,
    selection: reactive({
      clips: [],
      track: "",
      tracks: [],
      line: "",
      points: [],
      range: undefined,
    }) as Selection,
    player,
    recorder,
    hearing,
    mayHear,
    timeline: ref(),
    playhead,
    timing: ref(false),
    mark: ref(),
    guide: ref(),
    tag: ref(),
    stage: ref("gather"),
    gatherTab: ref("sounds"),
    armed: ref(""),
    reading: ref(false),
    loopOn: ref(false),
    heights,
    ghosts: ref([]),
    menu: ref(),
    question: ref(),
    rendering: ref(),
    following: ref(true),
    scrubbing: ref(false),
    proposed: ref([]),
    arrangeTab: ref("order"),
    balanceTab: ref("level"),
    handoverTab: ref("files"),
    rooming: ref(false),
    finder: ref(false),
    keysShown: ref(false),
    panelOpen: ref(true),
    fitting: ref(),
    checkTab: ref("findings"),
    compared: ref(),
    lines: ref({ clips: true, tracks: false, taken: true }),
    bare: ref([]),
    staying: ref([]),
    ramp: ref(),
    pointed: ref(),
    chooseFiles: ref(() => undefined),
    seek: (frame) => {
      if (recorder.busy) return; // the playhead goes with the recording
      playhead.value = Math.max(0, Math.round(frame));
      if (player.state.playing) void player.play(playhead.value);
    },
    playFrom: (frame) => {
      if (!mayHear()) return;
      playhead.value = Math.max(0, Math.round(frame));
      void player.play(playhead.value);
    },
  };
  provide(key, context);
  return context;
}

export function useDeskContext(): DeskContext {
  return inject(key)!;
}
