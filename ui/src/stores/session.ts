import { applyPatch, type Operation } from "fast-json-patch";
import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, ask, Refusal, type Answer, type Op, type Schema } from "../api/client";
import { callCourier, carry, TextRequest } from "../api/courier";
import { OpenDesk } from "./open";

type Change = Schema["ChangeEvent"];

/** An edit, or how it is made of the document when its turn comes; undefined if there is nothing to do any more. */
export type Making = Op | (() => Op | undefined);

/** Something on its way to the server: an edit of an episode, or a step through its history. */
interface Waiting {
  episode: string;
  act: Making | "undo" | "redo";
  /** The edits of a drag share it; any other edit has one of its own, by which it is known if it is sent again. */
  gesture: string;
  /** One of a drag: a later one replaces it. */
  drag: string;
  /** Is told of a refusal before it is said, and may say it itself. */
  refused?: (refusal: Refusal) => boolean;
  done: (change: Change | undefined) => void;
}

/** Why an edit cannot be kept just now, by the code of the problem; it waits and is sent again. */
const PASSING: Record<string, string> = {
  unreachable: "Connection lost, your changes wait…",
  "database-away": "Database away, your changes wait…",
  "disk-full": "The disk is full, your changes wait…",
};

/** Milliseconds between tries while an edit waits. */
const FIRST_PAUSE = 200;
const LONGEST_PAUSE = 2000;

let edits = 0;
const ownGesture = () => `e${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 8)}-${++edits}`;

/** The session on the desk: the server's document with what follows from it, and the edits on their way there. */
export const useSession = defineStore("session", () => {
  const open = shallowRef<OpenDesk>();
  const episode = ref<Schema["Episode"]>();
  const showName = ref("");
  const document = ref<Schema["Document"]>();
  const glance = ref<Schema["Glance"]>();
  const version = ref(0);
  /** The version that the edit on its way will make, or 0. */
  const posted = ref(0);
  /** The newest version there is or will be in a moment: it can be asked for together with the edit that makes it. */
  const coming = computed(() => Math.max(version.value, posted.value));
  const undoName = ref("");
  const redoName = ref("");
  const keptAt = ref("");
  /** What was refused last, to be said. */
  const problem = ref<Refusal>();
  /** The episode was removed, here or elsewhere. */
  const gone = ref(false);
  const busy = ref(false);
  /** Why what has been done waits, or nothing. */
  const stuck = ref("");
  const waiting: Waiting[] = [];

  const length = computed(() => glance.value?.length ?? 0);
  const byTrack = computed(() => new Map((glance.value?.tracks ?? []).map((t) => [t.id, t])));

  function trackOfClip(id: string): Schema["Track"] | undefined {
    return document.value?.tracks.find((t) => id in t.clips);
  }

  function clip(id: string): Schema["Clip"] | undefined {
    return trackOfClip(id)?.clips[id];
  }

  /** Lays an episode on the desk. Throws a Refusal. */
  async function enter(desk: OpenDesk): Promise<void> {
    leave();
    open.value = desk;
    callCourier();
    await reload();
  }

  function leave(): void {
    open.value = undefined;
    episode.value = document.value = glance.value = problem.value = undefined;
    showName.value = undoName.value = redoName.value = keptAt.value = "";
    version.value = posted.value = 0;
    gone.value = false;
  }

  /** Asks for the whole document. A version never goes back. */
  async function reload(): Promise<void> {
    const desk = open.value;
    if (!desk) return;
    const path = { episode: desk.episode };
    try {
      await desk.load(
        "document",
        (signal) => api.GET("/episodes/{episode}", { params: { path }, signal }),
        (there) => {
          if (there.version < version.value) return;
          desk.show = there.episode.show;
          episode.value = there.episode;
          showName.value = there.showName;
          document.value = there.document;
          glance.value = there.glance;
          version.value = there.version;
          undoName.value = there.undo;
          redoName.value = there.redo;
          keptAt.value = there.episode.changed;
        },
      );
    } catch (error) {
      if ((error as Refusal).code === "not-found") gone.value = true;
      throw error;
    }
  }

  /** Asks again where a failure is not worth a word: it is seen otherwise, and asked again later. */
  const catchUp = () => reload().catch(() => undefined);

  /** Takes in a change, whether it was made in this window or in another. */
  function take(change: Change): void {
    if (!open.value || change.episode !== open.value.episode || change.version <= version.value) return;
    if (change.version > version.value + 1 || !change.patch) {
      void catchUp();
      return;
    }
    try {
      applyPatch(document.value!, change.patch as Operation[], true);
    } catch (error) {
      console.info("a change did not fit; the document is asked for anew", error);
      void catchUp();
      return;
    }
    version.value = change.version;
    glance.value = change.glance;
    undoName.value = change.undo;
    redoName.value = change.redo;
    keptAt.value = change.changed;
  }

  /**
   * Sends an edit. They go one after the other, also when the desk is left meanwhile; of the edits of one gesture
   * that wait, the latest replaces those before it. Resolves when the edit has been kept, or with undefined if it
   * was refused or replaced.
   */
  function edit(act: Making, gesture?: string, refused?: Waiting["refused"]): Promise<Change | undefined> {
    const drag = gesture ? `${gesture} ${typeof act === "function" ? "" : act.type}` : "";
    const last = waiting[waiting.length - 1];
    if (drag && last?.drag === drag) {
      last.done(undefined);
      waiting.pop();
    }
    return queue(act, gesture ?? ownGesture(), drag, refused);
  }

  function queue(
    act: Waiting["act"],
    gesture = "",
    drag = "",
    refused?: Waiting["refused"],
  ): Promise<Change | undefined> {
    const id = open.value?.episode;
    if (!id) return Promise.resolve(undefined);
    return new Promise((done) => {
      waiting.push({ episode: id, act, gesture, drag, refused, done });
      void send();
    });
  }

  async function send(): Promise<void> {
    if (busy.value) return;
    busy.value = true;
    try {
      for (let next = waiting.shift(); next; next = waiting.shift()) {
        next.done(await one(next).catch((error: unknown) => fault(error)));
      }
    } finally {
      busy.value = false;
      posted.value = 0;
    }
  }

  /** A fault of ours must not stop the edits behind it. */
  function fault(error: unknown): undefined {
    console.error(error);
    problem.value = new Refusal("This could not be done. Nothing was changed; try again.", "internal");
    return undefined;
  }

  const here = (id: string) => open.value?.episode === id && document.value !== undefined;

  async function one(act: Waiting): Promise<Change | undefined> {
    let again = false;
    let pause = FIRST_PAUSE;
    // Of an episode that is not on the desk any more, the server says the version when it refuses a wrong one.
    let base = here(act.episode) ? version.value : 0;
    for (let conflicts = 0; conflicts < 8;) {
      const op = typeof act.act === "function" ? act.act() : act.act;
      if (!op) return undefined;
      if (here(act.episode)) posted.value = base + 1;
      try {
        const change = await post(act, op, base, again);
        stuck.value = "";
        if (here(act.episode)) {
          problem.value = undefined;
          if (again) await catchUp();
          else take(change);
        }
        return change;
      } catch (error) {
        const refusal = error as Refusal;
        posted.value = 0;
        if (refusal.code === "version-conflict") {
          conflicts++;
          base = refusal.current;
          if (here(act.episode)) {
            await catchUp();
            base = Math.max(base, version.value);
          }
        } else if (refusal.code in PASSING && typeof op === "object") {
          // It may have arrived, so an edit of its own is known by its gesture. One of a drag does no harm twice.
          stuck.value = PASSING[refusal.code]!;
          again = again || !act.drag;
          await new Promise((r) => setTimeout(r, pause));
          pause = Math.min(LONGEST_PAUSE, pause * 1.5);
          if (act.drag && waiting[0]?.drag === act.drag) return undefined; // a later one does it all
        } else {
          stuck.value = "";
          const said = act.refused?.(refusal) || ["nothing-to-undo", "nothing-to-redo"].includes(refusal.code);
          if (!said) problem.value = refusal;
          if (refusal.code === "not-found" && here(act.episode)) await catchUp();
          return undefined;
        }
      }
    }
    problem.value = new Refusal("Others change this session at the same time. Try again.", "version-conflict");
    return undefined;
  }

  function post(act: Waiting, op: Op | "undo" | "redo", base: number, again: boolean): Promise<Change> {
    const by = { params: { path: { episode: act.episode } }, fetch: carry, Request: TextRequest };
    if (op === "undo" || op === "redo") return ask(api.POST(`/episodes/{episode}/${op}`, by));
    return ask(api.POST("/episodes/{episode}/edits", { ...by, body: { base, gesture: act.gesture, again, op } }));
  }

  /** Goes to a step of the history, or to a named version, when what waits has been kept. */
  async function travel(request: () => Promise<Answer<Change>>): Promise<void> {
    if (busy.value) await queue(() => undefined); // behind what waits
    try {
      take(await ask(request()));
      problem.value = undefined;
    } catch (error) {
      problem.value = error as Refusal;
    }
  }

  /** Does something that is no edit and says what was wrong with it, if anything. */
  async function attempt(request: Promise<{ data?: unknown; error?: unknown }>): Promise<boolean> {
    try {
      await ask(request);
      return true;
    } catch (error) {
      problem.value = error as Refusal;
      return false;
    }
  }

  /** Says why something cannot be done. */
  function say(why: string): void {
    problem.value = new Refusal(why, "not-possible");
  }

  return {
    open,
    say,
    episode,
    showName,
    document,
    glance,
    version,
    coming,
    undoName,
    redoName,
    keptAt,
    problem,
    gone,
    busy,
    stuck,
    length,
    byTrack,
    trackOfClip,
    clip,
    enter,
    leave,
    reload,
    catchUp,
    take,
    edit,
    attempt,
    travel,
    undo: () => queue("undo"),
    redo: () => queue("redo"),
  };
});
