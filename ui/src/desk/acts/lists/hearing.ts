import { RATE } from "../../../model/units";
import { useSession } from "../../../stores/session";
import type { DeskContext } from "../../state/context";
import {
  goBack,
  playAgain,
  playBefore,
  playJoins,
  playStretch,
  togglePlay,
  toggleRecord,
} from "../../transport/transport";
import { useBare } from "../bare";
import { useStaying } from "../staying";
import { inGroup, type Act } from "./act";
import type { Reasons } from "./reasons";

/** A key where none was pressed: what is held for as long as a key is, is switched over. */
const tap = (event?: KeyboardEvent) => event ?? new KeyboardEvent("keydown");

/** Playing, and going along the time. */
export function hearing(desk: DeskContext, why: Reasons): Act[] {
  const session = useSession();
  const bare = useBare(desk);
  const staying = useStaying(desk);
  const act = inGroup("Hear");
  const step = (frames: number) => () => desk.seek(desk.playhead.value + frames);
  const off = why.something;
  return [
    act("play", "Space", "Play or pause", () => togglePlay(desk, session.length), {
      first: true,
      words: "stop listen",
    }),
    act("play-again", "Enter", "Play again from the last start", () => playAgain(desk), { off }),
    act("play-before", "Shift+Enter", "Play from two seconds before the playhead", () => playBefore(desk), { off }),
    act("play-stretch", "c", "Play the chosen stretch once", () => playStretch(desk), { off: why.stretch }),
    act("play-joins", "Shift+c", "Play only the joins from the playhead on", () => playJoins(desk), {
      off,
      words: "cuts edits",
    }),
    act(
      "loop",
      "l",
      "Loop the chosen stretch, or the whole session",
      () => {
        desk.loopOn.value = !desk.loopOn.value;
      },
      { words: "again and again cycle", off },
    ),
    act("back", "Shift+Home", "Stop, and back to where playing began", () => goBack(desk), { off }),
    act("go-to", "Shift+m", "Type where the playhead goes", () => void (desk.timing.value = true), {
      words: "time position jump",
    }),
    act("start", "Home", "To the start", () => desk.seek(0), { words: "beginning" }),
    act("end", "End", "To the end", () => desk.seek(session.length)),
    act("second-back", "ArrowLeft|$mod+ArrowLeft", "One second back", step(-RATE)),
    act("second-on", "ArrowRight|$mod+ArrowRight", "One second on", step(RATE)),
    act("tenth-back", "Shift+ArrowLeft", "A tenth of a second back", step(-RATE / 10)),
    act("tenth-on", "Shift+ArrowRight", "A tenth of a second on", step(RATE / 10)),
    act("bare", "7", "Hear without treatment, as loud: tap, or hold", (e) => bare.press(tap(e)), {
      words: "bypass dry before",
      off: () => (bare.any.value ? undefined : "No track is treated yet."),
    }),
    act("bare-all", "Shift+Digit7", "Hear all tracks without treatment", (e) => bare.press(tap(e), true), {
      off: () => (bare.any.value ? undefined : "No track is treated yet."),
    }),
    act("staying", "6", "Hear music as if it made no way for speech: tap, or hold", (e) => staying.press(tap(e)), {
      off: () => (staying.any.value ? undefined : "No track makes way for speech yet."),
    }),
    act("staying-all", "Shift+Digit6", "Hear all tracks as if they made no way", (e) => staying.press(tap(e), true), {
      off: () => (staying.any.value ? undefined : "No track makes way for speech yet."),
    }),
  ];
}

/** What comes into the session. */
export function gathering(desk: DeskContext, why: Reasons): Act[] {
  const session = useSession();
  const act = inGroup("Gather");
  const track = (part: "voice" | "music" | "effect") => () => void session.edit({ type: "add-track", part });
  return [
    act("record", "r", "Record at the playhead, or end the recording", () => void toggleRecord(desk), {
      first: true,
      words: "microphone take",
    }),
    act("import", "", "Choose files to import…", () => desk.chooseFiles.value(), { words: "add open audio upload" }),
    act(
      "script",
      "t",
      "Show the script in large type, or put it away",
      () => {
        desk.reading.value = !desk.reading.value;
      },
      { words: "text read prompt" },
    ),
    act("add-voice", "", "Add a track for voice", track("voice"), { words: "new" }),
    act("add-music", "", "Add a track for music", track("music"), { words: "new" }),
    act("add-effect", "", "Add a track for effects", track("effect"), { words: "new" }),
    act("duplicate-tracks", "$mod+Shift+d", "Duplicate the chosen tracks", why.acts.duplicateTracks, {
      off: why.track,
    }),
    act("track-up", "Alt+Shift+ArrowUp", "Move the chosen tracks up", () => why.acts.moveTracks(-1), {
      off: why.track,
    }),
    act("track-down", "Alt+Shift+ArrowDown", "Move the chosen tracks down", () => why.acts.moveTracks(1), {
      off: why.track,
    }),
  ];
}
