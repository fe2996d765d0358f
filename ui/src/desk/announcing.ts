import { watchDebounced } from "@vueuse/core";
import { watch } from "vue";
import { lengthText } from "../model/units";
import { useMe } from "../people/me";
import { useCheck } from "../stores/check";
import { useJobs } from "../stores/jobs";
import { useSession } from "../stores/session";
import { useUploads } from "../stores/uploads";
import { announce, hushWhile, quarters } from "../talk/announce";
import type { DeskContext } from "./state/context";

const DOING: Record<string, string> = {
  import: "Reading",
  mixdown: "Mixing down",
  render: "Rendering",
  take: "Taking in",
  open: "Opening",
};

/** A hand that goes on is told of once. */
const REST = 400;

/** Says aloud what was done on the desk, by its name, and how far long work is. */
export function useAnnouncing(desk: DeskContext): void {
  const session = useSession();
  const me = useMe();
  const jobs = useJobs();
  const uploads = useUploads();
  const check = useCheck();
  hushWhile(() => desk.player.state.playing || desk.recorder.busy);

  // Each step by its name; after a step back the one that can be done again is it.
  let known: { version: number; redo: string } | undefined;
  watchDebounced(
    () => session.version,
    (version) => {
      const before = known;
      known = { version, redo: session.redoName };
      if (!before || version <= before.version) return;
      const by = session.lastBy;
      if (by && by.id !== me.person?.id) {
        announce(`${by.name}: ${by.step}`);
        return;
      }
      if (session.redoName && session.redoName !== before.redo) announce(`Undone: ${session.redoName}`);
      else if (before.redo && session.redoName !== before.redo) announce(`Done: ${session.undoName}`);
      else if (session.undoName) announce(`Done: ${session.undoName}`);
    },
    { debounce: REST, immediate: true },
  );

  const told = new Map<string, (part: number) => void>();
  watch(
    () => jobs.here.map((j) => ({ ...j })),
    (now) => {
      for (const j of now) {
        const what = `${DOING[j.kind] ?? "Working on"} ${j.name}`;
        const tellOf = told.get(j.id) ?? quarters(what);
        const fresh = !told.has(j.id);
        if (fresh && j.state !== "running" && j.state !== "queued") continue; // it was over before
        told.set(j.id, tellOf);
        if (j.state === "running" || j.state === "queued") tellOf(j.progress);
        else {
          told.delete(j.id);
          if (j.state === "done") announce(`${what}: done.`);
          else if (j.state === "cancelled") announce(`${what}: cancelled.`);
          else announce(`${what} failed: ${j.problem?.message ?? "see Gather or Hand over."}`, true);
        }
      }
    },
  );

  const sent = new Map<number, (part: number) => void>();
  watch(
    () => uploads.list.map((u) => ({ key: u.key, name: u.name, part: u.size ? u.sent / u.size : 0 })),
    (now) => {
      for (const u of now) {
        if (!sent.has(u.key)) sent.set(u.key, quarters(`Sending ${u.name}`));
        sent.get(u.key)!(u.part);
      }
    },
  );

  const { recorder } = desk;
  let take = 0;
  watch(
    () => recorder.state.recorded,
    (frames) => frames > 0 && (take = frames),
  );
  watch(
    () => recorder.state.phase,
    (phase, before) => {
      if (before === "saving" && !recorder.busy && phase !== "recording") announce(`Recorded ${lengthText(take)}.`);
      if (phase === "recording") take = 0;
    },
  );

  watch(
    () => check.waiting,
    (now, before) => {
      if (before === undefined || now === before || desk.stage.value !== "check") return;
      announce(now === 0 ? "No finding waits." : now === 1 ? "One finding waits." : `${now} findings wait.`);
    },
  );
  watch(
    () => session.stuck,
    (text) => text && announce(text, true),
  );
}
