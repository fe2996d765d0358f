import { defineStore } from "pinia";
import { ref } from "vue";
import type { Refusal, Schema } from "../api/client";
import { useHandover } from "./handover";
import { useJobs } from "./jobs";
import { useLists } from "./lists";
import { useMixdowns } from "./mixdowns";
import { useSendings } from "./sendings";
import { useSharing } from "./sharing";
import { followEpisode } from "../events/following";
import { OpenDesk } from "./open";
import { useNotes } from "./notes";
import { useOthers } from "./others";
import { useScript } from "./script";
import { useSession } from "./session";
import { useSounds } from "./sounds";
import { useBalance } from "./balance";
import { useCheck } from "./check";
import { useLoudness } from "./loudness";
import { useTakes } from "./takes";
import { useVoices } from "./voices";

/** Milliseconds after which what could not be asked for is tried anew. */
const TRY_AGAIN = 2000;
/** Why an episode cannot be opened only for a while. */
const PASSING = new Set(["unreachable", "database-away", "bucket-away"]);

/** Opens and leaves the desk, and follows what happens to its episode meanwhile. */
export const useDesk = defineStore("desk", () => {
  const session = useSession();
  const sounds = useSounds();
  const jobs = useJobs();
  const takes = useTakes();
  const script = useScript();
  const mixdowns = useMixdowns();
  const sendings = useSendings();
  const sharing = useSharing();
  const balance = useBalance();
  const check = useCheck();
  const loudness = useLoudness();
  const voices = useVoices();
  const handover = useHandover();
  const notes = useNotes();
  const others = useOthers();
  const lists = useLists();
  const connected = ref(true);
  /** Why the episode could not be opened. */
  const problem = ref<Refusal>();

  /** Opens an episode in the place of whatever is open. */
  async function open(episode: string): Promise<void> {
    leave();
    const desk = new OpenDesk(episode);
    try {
      await session.enter(desk);
    } catch (error) {
      if (desk.left) return;
      problem.value = error as Refusal;
      // What is away comes back, and then the desk is there by itself.
      if (PASSING.has(problem.value.code)) window.setTimeout(() => !desk.left && void open(episode), TRY_AGAIN);
      return;
    }
    if (desk.left) return;
    await follow(desk); // first, so that nothing which changes meanwhile is missed
    await fill(desk);
  }

  /** Asks for everything besides the document, again if that fails only for a while; the desk stays as it is. */
  async function fill(desk: OpenDesk): Promise<void> {
    if (desk.left || session.gone) return;
    try {
      await Promise.all([lists.load(), refresh()]);
    } catch (error) {
      if (PASSING.has((error as Refusal).code)) window.setTimeout(() => void fill(desk), TRY_AGAIN);
    }
  }

  function leave(): void {
    session.open?.leave();
    problem.value = undefined;
    connected.value = true;
    for (const store of [
      session,
      sounds,
      jobs,
      takes,
      script,
      mixdowns,
      balance,
      check,
      loudness,
      voices,
      handover,
      sendings,
      sharing,
      notes,
      others,
    ])
      store.leave();
  }

  /** Asks for everything about the episode besides its document. */
  async function refresh(): Promise<void> {
    const all = [
      sounds.refresh(),
      jobs.refresh(),
      takes.refresh(),
      script.refresh(),
      mixdowns.refresh(),
      sendings.refresh(),
      sharing.refresh(),
      notes.enter(session.open?.episode ?? ""),
    ];
    await Promise.all(all);
  }

  /** Asks for everything; what fails is asked again when the connection comes back. */
  function catchUp(): void {
    void session.catchUp();
    void refresh().catch(() => undefined);
    measureAgain();
  }

  /** Listens to what happens; resolves when that has begun, or when it takes too long to be waited for. */
  function follow(desk: OpenDesk): Promise<void> {
    return new Promise((done) => {
      const end = followEpisode(desk.episode, (message) => {
        if (desk.left) return;
        if (message.type === "told") return hear(message.event);
        if (message.type === "beat") {
          if (message.version > session.version && !session.busy) void session.catchUp();
          return;
        }
        if (message.connected && !connected.value) catchUp(); // what happened while the connection was lost was not told
        if (!message.connected) void session.catchUp(); // which finds out if the episode is gone
        connected.value = message.connected;
        if (message.connected) done();
      });
      desk.signal.addEventListener("abort", end);
      window.setTimeout(done, TRY_AGAIN);
    });
  }

  function hear(event: Schema["Told"]): void {
    const quietly = (request: Promise<void>) => void request.catch(() => undefined);
    if (event.removed && session.open) session.open.sheet.gone.value = true;
    if (event.change) {
      const used = event.change.patch as { path: string }[] | undefined;
      session.take(event.change);
      if (!used || used.some((p) => p.path.startsWith("/sounds"))) quietly(sounds.refresh()); // which are used has changed
    }
    if (event.job) jobs.hear(event.job);
    if (event.sounds) quietly(Promise.all([sounds.refresh(), takes.refresh()]).then(() => undefined));
    if (event.mixdowns) quietly(mixdowns.refresh());
    if (event.sendings || (event.job?.kind === "send" && event.job.state !== "running")) quietly(sendings.refresh());
    if (event.links) quietly(Promise.all([sharing.refresh(), sharing.refreshFeed()]).then(() => undefined));
    if (event.takes) quietly(takes.refresh());
    if (event.notes) quietly(notes.refresh());
    if (event.here) others.hear(event.here);
    if (event.script) quietly(script.refresh());
    if (event.measure) balance.progress = event.measure.progress;
    if (event.loudness) {
      measureAgain();
    }
  }

  /** Asks again for what is measured of the mix. */
  function measureAgain(): void {
    balance.progress = undefined;
    for (const request of [mixdowns.measure(), balance.refresh(), check.refresh()]) void request.catch(() => undefined);
    if (loudness.along) void loudness.refresh();
  }

  return { connected, problem, open, leave };
});
