import { applyPatch, type Operation } from "fast-json-patch";
import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, ask, Refusal, type Op, type Schema } from "../api/client";

type Change = Schema["ChangeEvent"];

/** Something that is on its way to the server: an edit of an episode, or a step through its history. */
interface Waiting {
  episode: string;
  act: Op | "undo" | "redo";
  gesture?: string;
  done: (change: Change | undefined) => void;
}

/** The session on the desk: the server's document, kept up to date, and the edits on their way to it. */
export const useDesk = defineStore("desk", () => {
  const episode = ref<Schema["Episode"]>();
  const showName = ref("");
  const document = ref<Schema["Document"]>();
  const version = ref(0);
  const undoName = ref("");
  const redoName = ref("");
  const keptAt = ref("");
  const problem = ref<Refusal>();
  const loadProblem = ref<Refusal>();
  const sounds = ref<Schema["LibrarySound"][]>([]);
  const jobs = ref<Record<string, Schema["JobEvent"]>>({});
  const mixdowns = ref<Schema["Mixdown"][]>([]);
  const targets = ref<Schema["Target"][]>([]);
  const formats = ref<Schema["Format"][]>([]);
  const takes = ref<Schema["Take"][]>([]);
  const script = ref<Schema["Script"]>();
  const licences = ref<Schema["Licence"][]>([]);
  const connected = ref(true);

  const waiting: Waiting[] = [];
  const busy = ref(false);
  const events = shallowRef<EventSource>();

  const length = computed(() => {
    let end = 0;
    for (const track of document.value?.tracks ?? []) {
      for (const clip of Object.values(track.clips)) end = Math.max(end, clip.start + clip.length);
    }
    return end;
  });
  const target = computed(() => targets.value.find((t) => t.key === document.value?.target));

  function soundOf(id: string): Schema["LibrarySound"] | undefined {
    return sounds.value.find((s) => s.id === id);
  }

  async function open(id: string): Promise<void> {
    close();
    try {
      await reload(id);
      await follow(id); // first, so that nothing which changes meanwhile is missed
      const [goals, kinds, known] = await Promise.all([
        ask(api.GET("/targets")),
        ask(api.GET("/formats")),
        ask(api.GET("/licences")),
        refreshAll(),
      ]);
      targets.value = goals ?? [];
      formats.value = kinds ?? [];
      licences.value = known ?? [];
    } catch (error) {
      loadProblem.value = error as Refusal;
    }
  }

  function close(): void {
    events.value?.close();
    events.value = undefined;
    document.value = episode.value = problem.value = loadProblem.value = undefined;
    sounds.value = [];
    mixdowns.value = [];
    takes.value = [];
    script.value = undefined;
    jobs.value = {};
  }

  /** Everything about the episode besides its document. */
  async function refreshAll(): Promise<void> {
    await Promise.all([refreshSounds(), refreshMixdowns(), refreshJobs(), refreshTakes(), refreshScript()]);
  }

  async function reload(id: string): Promise<void> {
    const desk = await ask(api.GET("/episodes/{episode}", { params: { path: { episode: id } } }));
    episode.value = desk.episode;
    showName.value = desk.showName;
    document.value = desk.document;
    version.value = desk.version;
    undoName.value = desk.undo;
    redoName.value = desk.redo;
    keptAt.value = desk.episode.changed;
  }

  /** Takes in a change, whether it was made in this window or in another. */
  function take(change: Change): void {
    const id = episode.value?.id;
    if (!id || change.episode !== id || change.version <= version.value) return;
    if (change.version > version.value + 1) {
      void reload(id);
      return;
    }
    const patch = change.patch as Operation[];
    applyPatch(document.value!, patch);
    if (patch.some((p) => p.path.startsWith("/sounds"))) void refreshSounds(); // which are used has changed
    version.value = change.version;
    undoName.value = change.undo;
    redoName.value = change.redo;
    keptAt.value = change.changed;
  }

  /** Listens to what happens; resolves when that has begun, or when it takes too long to be waited for. */
  function follow(id: string): Promise<void> {
    const source = new EventSource(`/api/episodes/${id}/events`);
    events.value = source;
    const begun = new Promise<void>((done) => {
      source.addEventListener("open", () => done(), { once: true });
      window.setTimeout(done, 2000);
    });
    source.onopen = () => {
      // What happened while the connection was lost was not told.
      if (!connected.value) void Promise.all([reload(id), refreshAll()]);
      connected.value = true;
    };
    source.onerror = () => (connected.value = false);
    source.onmessage = (message: MessageEvent<string>) => hear(JSON.parse(message.data) as Schema["Event"]);
    source.addEventListener("beat", (message: MessageEvent<string>) => {
      const beat = JSON.parse(message.data) as Schema["Beat"];
      if (beat.version > version.value && !busy.value) void reload(id);
    });
    return begun;
  }

  function hear(event: Schema["Event"]): void {
    if (event.change) take(event.change);
    if (event.job) jobs.value[event.job.id] = event.job;
    if (event.sounds) void Promise.all([refreshSounds(), refreshTakes()]);
    if (event.mixdowns) void refreshMixdowns();
    if (event.takes) void refreshTakes();
    if (event.script) void refreshScript();
  }

  async function refreshJobs(): Promise<void> {
    const show = episode.value?.show;
    if (!show) return;
    const going = (await ask(api.GET("/shows/{show}/jobs", { params: { path: { show } } }))) ?? [];
    jobs.value = Object.fromEntries(going.map((j) => [j.id, j]));
  }

  /** Takes the message of a job that failed off the list, for good. */
  async function putAway(job: string): Promise<void> {
    delete jobs.value[job];
    await ask(api.POST("/jobs/{job}/put-away", { params: { path: { job } } })).catch(() => undefined);
  }

  async function refreshTakes(): Promise<void> {
    const id = episode.value?.id;
    if (id)
      takes.value = (await ask(api.GET("/episodes/{episode}/takes", { params: { path: { episode: id } } }))) ?? [];
  }

  async function refreshScript(): Promise<void> {
    const id = episode.value?.id;
    if (id) script.value = await ask(api.GET("/episodes/{episode}/script", { params: { path: { episode: id } } }));
  }

  /** Changes the script; says whether that was kept. */
  async function changeScript(change: Omit<Schema["ScriptChange"], "base">): Promise<boolean> {
    const id = episode.value?.id;
    if (!id) return false;
    try {
      script.value = await ask(
        api.PATCH("/episodes/{episode}/script", {
          params: { path: { episode: id } },
          body: { base: script.value?.version ?? 0, ...change },
        }),
      );
      return true;
    } catch (error) {
      problem.value = error as Refusal;
      return false;
    }
  }

  /** Does something about a sound or a take and says what was wrong with it, if anything. */
  async function attempt(request: Promise<{ data?: unknown; error?: unknown }>): Promise<boolean> {
    try {
      await ask(request);
      return true;
    } catch (error) {
      problem.value = error as Refusal;
      return false;
    }
  }

  async function refreshSounds(): Promise<void> {
    const show = episode.value?.show;
    if (show) sounds.value = (await ask(api.GET("/shows/{show}/sounds", { params: { path: { show } } }))) ?? [];
  }

  async function refreshMixdowns(): Promise<void> {
    const id = episode.value?.id;
    if (!id) return;
    mixdowns.value = (await ask(api.GET("/episodes/{episode}/mixdowns", { params: { path: { episode: id } } }))) ?? [];
  }

  /**
   * Sends an edit. They go one after the other, also when the desk is left meanwhile; of the edits of one gesture
   * that wait, the latest replaces those before it. Resolves when the edit has been kept, or with undefined if it
   * was refused or replaced.
   */
  function edit(op: Op, gesture?: string): Promise<Change | undefined> {
    const last = waiting[waiting.length - 1];
    if (
      gesture &&
      last?.gesture === gesture &&
      last.act !== "undo" &&
      last.act !== "redo" &&
      last.act.type === op.type
    ) {
      last.done(undefined);
      waiting.pop();
    }
    return queue(op, gesture);
  }

  function queue(act: Waiting["act"], gesture?: string): Promise<Change | undefined> {
    const id = episode.value?.id;
    if (!id) return Promise.resolve(undefined);
    return new Promise((done) => {
      waiting.push({ episode: id, act, gesture, done });
      void send();
    });
  }

  async function send(): Promise<void> {
    if (busy.value) return;
    busy.value = true;
    for (let next = waiting.shift(); next; next = waiting.shift()) {
      next.done(await one(next));
    }
    busy.value = false;
  }

  async function one({ episode: id, act, gesture }: Waiting): Promise<Change | undefined> {
    const params = { path: { episode: id } };
    const here = () => episode.value?.id === id;
    // Of an episode that is not on the desk any more, the server says the version when it refuses a wrong one.
    let base = here() ? version.value : 0;
    for (let tries = 0; ; tries++) {
      try {
        const change = await ask(
          act === "undo" || act === "redo"
            ? api.POST(`/episodes/{episode}/${act}`, { params })
            : api.POST("/episodes/{episode}/edits", { params, body: { base, gesture, op: act } }),
        );
        take(change);
        if (here()) problem.value = undefined;
        return change;
      } catch (error) {
        const refusal = error as Refusal;
        if (refusal.code.startsWith("nothing-to-")) return undefined;
        if (refusal.code !== "version-conflict" || tries > 4) {
          problem.value = refusal;
          return undefined;
        }
        if (here()) await reload(id).catch(() => undefined);
        base = here() ? version.value : refusal.current;
      }
    }
  }

  return {
    episode,
    showName,
    document,
    version,
    undoName,
    redoName,
    keptAt,
    problem,
    loadProblem,
    sounds,
    jobs,
    mixdowns,
    targets,
    formats,
    takes,
    script,
    licences,
    connected,
    busy,
    length,
    target,
    soundOf,
    open,
    close,
    edit,
    refreshMixdowns,
    refreshTakes,
    changeScript,
    putAway,
    attempt,
    undo: () => queue("undo"),
    redo: () => queue("redo"),
  };
});
