import { inject, provide, reactive, ref, type InjectionKey, type Ref } from "vue";
import type { Player } from "../listening/player";
import type { Recorder } from "../recording/recorder";
import type { Heights } from "./heights";
import { Hearing } from "../listening/hearing";

/** The least and the most frames that a pixel can stand for. */
export const FINEST = 64;
export const COARSEST = 1_500_000;

/** How session time lies on the screen. */
export class Timescale {
  /** Frames a pixel. */
  scale = 4800;
  /** The session frame at the left edge of the lanes. */
  start = 0;
  /** Width of the lanes in pixels. */
  width = 768;

  x(frame: number): number {
    return (frame - this.start) / this.scale;
  }
  frame(x: number): number {
    return Math.round(this.start + x * this.scale);
  }
  get end(): number {
    return this.start + this.width * this.scale;
  }
  /** Shows another stretch; the scale is held within what can be drawn. */
  show(start: number, scale = this.scale): void {
    this.scale = Math.min(Math.max(scale, FINEST), COARSEST);
    this.start = Math.max(0, Math.round(start));
  }
  zoom(factor: number, x = this.width / 2): void {
    const pivot = this.start + x * this.scale;
    const scale = Math.min(Math.max(this.scale * factor, FINEST), COARSEST);
    this.show(pivot - x * scale, scale);
  }
  fit(from: number, to: number): void {
    const scale = Math.max(480, to - from) / Math.max(100, this.width);
    this.show(from - scale * 4, scale * 1.03);
  }
}

export interface Selection {
  clips: string[];
  track: string;
  /** The clip whose level line has chosen points, and the times at which they stand on it. */
  line: string;
  points: number[];
  range: { from: number; to: number } | undefined;
}

export type Stage = "gather" | "arrange" | "balance" | "handover";

export type GatherTab = "sounds" | "music" | "record" | "credits";

/** What the parts of the desk share. */
export interface DeskContext {
  time: Timescale;
  selection: Selection;
  player: Player;
  recorder: Recorder;
  /** Sounds that are heard by themselves. */
  hearing: Hearing;
  playhead: Ref<number>;
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
  seek: (frame: number) => void;
  /** Lets files be chosen, which end up where dropped ones would. */
  chooseFiles: Ref<() => void>;
}

const key: InjectionKey<DeskContext> = Symbol("desk");

export function makeDeskContext(player: Player, recorder: Recorder, heights: Heights): DeskContext {
  const playhead = ref(0);
  const context: DeskContext = {
    time: reactive(new Timescale()) as Timescale,
    selection: reactive({ clips: [], track: "", line: "", points: [], range: undefined }) as Selection,
    player,
    recorder,
    hearing: new Hearing(() => player.pause()),
    playhead,
    guide: ref(),
    tag: ref(),
    stage: ref("gather"),
    gatherTab: ref("sounds"),
    armed: ref(""),
    reading: ref(false),
    loopOn: ref(false),
    heights,
    chooseFiles: ref(() => undefined),
    seek: (frame) => {
      if (recorder.busy) return; // the playhead goes with the recording
      playhead.value = Math.max(0, Math.round(frame));
      if (player.state.playing) void player.play(playhead.value);
    },
  };
  provide(key, context);
  return context;
}

export function useDeskContext(): DeskContext {
  return inject(key)!;
}
