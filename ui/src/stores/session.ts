import { defineStore } from "pinia";
import { computed, shallowRef } from "vue";
import { api, ask, Refusal, type Answer, type Schema } from "../api/client";
import { callCourier, carry, TextRequest } from "../api/courier";
import { clipIn, trackOfClip } from "../document/parts";
import { EditQueue, type Making, type Post } from "../document/queue";
import type { Change, Sheet } from "../document/sheet";
import { tell } from "../talk/tell";
import { OpenDesk } from "./open";

/** How acts go to the server. */
const post: Post = (sheet, op, base, gesture, again) => {
  const by = { params: { path: { episode: sheet.episode } }, fetch: carry, Request: TextRequest };
  if (op === "undo" || op === "redo") {
    const query = gesture ? { base, gesture } : { base };
    return ask(api.POST(`/episodes/{episode}/${op}`, { ...by, params: { ...by.params, query } }));
  }
  return ask(api.POST("/episodes/{episode}/edits", { ...by, body: { base, gesture, again, op } }));
};

/** The session on the desk: what this window knows of its episode, and the edits on their way. */
export const useSession = defineStore("session", () => {
  const open = shallowRef<OpenDesk>();
  const sheet = computed(() => open.value?.sheet);
  const known = computed(() => sheet.value?.known.value);
  const episode = computed(() => known.value?.episode);
  const showName = computed(() => known.value?.showName ?? "");
  const document = computed(() => known.value?.document);
  const glance = computed(() => known.value?.glance);
  const version = computed(() => known.value?.version ?? 0);
  /** The newest version there is or will be in a moment: it can be asked for together with the edit that makes it. */
  const coming = computed(() => Math.max(version.value, sheet.value?.posted.value ?? 0));
  const undoName = computed(() => known.value?.undo ?? "");
  const redoName = computed(() => known.value?.redo ?? "");
  const keptAt = computed(() => known.value?.keptAt ?? "");
  const lastBy = computed(() => known.value?.by);
  const gone = computed(() => sheet.value?.gone.value ?? false);
  const queue = new EditQueue(post, refused);

  const length = computed(() => glance.value?.length ?? 0);
  const byTrack = computed(() => new Map((glance.value?.tracks ?? []).map((t) => [t.id, t])));

  /** Lays an episode on the desk. Throws a Refusal. */
  async function enter(desk: OpenDesk): Promise<void> {
    open.value = desk;
    callCourier();
    await desk.sheet.reload(desk.signal);
  }

  /** Lays an episode down of which no document is known: for those who do not make it. */
  function look(desk: OpenDesk): void {
    open.value = desk;
    callCourier();
  }

  function leave(): void {
    open.value = undefined;
  }

  /** Asks again where a failure is not worth a word: it is seen otherwise, and asked again later. */
  async function catchUp(): Promise<void> {
    await open.value?.sheet.reload().catch(() => undefined);
  }

  /** Takes in a change, whether it was made in this window or in another. */
  function take(change: Change): void {
    if (sheet.value?.episode === change.episode && !sheet.value.take(change)) void catchUp();
  }

  /** An edit was refused, perhaps of a desk that has been left since. */
  function refused(refusal: Refusal, of: Sheet): void {
    if (of === sheet.value) tell(refusal);
    else tell(new Refusal(`“${of.known.value?.episode.title}”: ${refusal.message}`, refusal.code));
  }

  /** Edits the session on the desk; see EditQueue. What the edit is made of is its document, whatever is on the desk by then. */
  function edit(act: Making, gesture?: string, refused?: (refusal: Refusal) => boolean): Promise<Change | undefined> {
    return sheet.value ? queue.edit(sheet.value, act, gesture, refused) : Promise.resolve(undefined);
  }

  /** Takes back what a drag has done that was broken off. */
  function takeBack(gesture: string): void {
    if (sheet.value) void queue.takeBack(sheet.value, gesture);
  }

  async function step(act: "undo" | "redo"): Promise<void> {
    if (sheet.value) await queue.step(sheet.value, act);
  }

  /** Goes to a step of the history, or to a named version, when what waits has been kept. */
  async function travel(request: () => Promise<Answer<Change>>): Promise<void> {
    const desk = open.value;
    if (!desk) return;
    await queue.behind(desk.sheet);
    try {
      const change = await ask(request());
      if (!desk.sheet.take(change)) await desk.sheet.reload();
    } catch (error) {
      tell(error);
    }
  }

  /** Does something that is no edit and says what was wrong with it, if anything. */
  async function attempt(request: Promise<Answer<unknown>>): Promise<boolean> {
    try {
      await ask(request);
      return true;
    } catch (error) {
      tell(error);
      return false;
    }
  }

  /** Says why something cannot be done. */
  function say(why: string): void {
    tell(new Refusal(why, "not-possible"));
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
    lastBy,
    gone,
    busy: queue.busy,
    stuck: queue.stuck,
    length,
    byTrack,
    trackOfClip: (id: string): Schema["Track"] | undefined => trackOfClip(document.value, id),
    clip: (id: string): Schema["Clip"] | undefined => clipIn(document.value, id),
    enter,
    look,
    leave,
    catchUp,
    take,
    edit,
    takeBack,
    attempt,
    travel,
    undo: () => step("undo"),
    redo: () => step("redo"),
    describe: (episode: Schema["Episode"]) => sheet.value?.describe(episode),
  };
});
