import { defineStore } from "pinia";
import { computed, ref } from "vue";
import type { DetailedError, PreviousUpload, Upload as Tus } from "tus-js-client";
import { refusalOf, type Part } from "../api/client";
import { OURS } from "../api/ours";
import { holdPage } from "../talk/leaving";

/** A file on its way to the server. */
export interface Upload {
  key: number;
  name: string;
  show: string;
  sent: number;
  size: number;
  /** Seconds that it will probably still take; 0 if that is not known. */
  left: number;
  state: "waiting" | "sending" | "interrupted" | "full" | "failed";
  problem: string;
}

/** What is to be done with a file once it is there. */
export interface Purpose {
  episode?: string;
  track?: string;
  start?: number;
  part?: Part;
  /** What of several files is laid one after the other there, in the order of their names. */
  lined?: "voices" | "all";
  /** The sound whose place it takes everywhere. */
  replaces?: string;
}

interface Running {
  /** Undefined until the script that sends has come. */
  tus?: Tus;
  begun: number;
  from: number;
  /** When something went out last, in milliseconds. */
  moved: number;
}

/** Milliseconds after which a file that does not move is sent anew from where it stopped: its line may be dead without a sign. */
const STALLED_MS = 20_000;

/** Milliseconds after which the script that sends is asked for again. */
const SCRIPT_AGAIN_MS = 3000;

/** How many files are sent at a time; the others wait. Connections must be left for listening and for events. */
const HANDS = 3;
const RETRIES = [0, 300, 1000, 2000, ...Array<number>(200).fill(3000)];

/** Files on their way in. One that breaks off goes on where it stopped. What has arrived goes on as a job of the server. */
export const useUploads = defineStore("uploads", () => {
  const list = ref<Upload[]>([]);
  const files = new Map<number, { file: File; purpose: Purpose }>();
  const running = new Map<number, Running>();
  const going = computed(() => list.value.filter((u) => u.state !== "failed"));
  let count = 0;
  holdPage(() => going.value.length > 0);

  function add(show: string, added: Iterable<File>, purpose: Purpose = {}): void {
    for (const file of added) {
      const key = ++count;
      files.set(key, { file, purpose });
      list.value.push({ key, name: file.name, show, sent: 0, size: file.size, left: 0, state: "waiting", problem: "" });
    }
    next();
  }

  function next(): void {
    for (const upload of list.value) {
      if (running.size >= HANDS) return;
      if (upload.state === "waiting" && !running.has(upload.key)) void send(upload);
    }
  }

  async function send(upload: Upload): Promise<void> {
    const { file, purpose } = files.get(upload.key)!;
    const entry: Running = { begun: 0, from: 0, moved: performance.now() };
    running.set(upload.key, entry);
    upload.state = "sending";
    const { Upload: Sender } = await sending(() => (upload.state = "interrupted"));
    if (running.get(upload.key) !== entry) return; // it was cancelled meanwhile
    const tus: Tus = new Sender(file, {
      endpoint: "/api/uploads/",
      metadata: metadata(upload.show, file, purpose),
      retryDelays: RETRIES,
      removeFingerprintOnSuccess: true,
      onProgress: (sent) => progress(upload, entry, sent),
      onShouldRetry: (error) => {
        const status = error.originalResponse?.getStatus() ?? 0;
        const full = status === 507 && tus.url !== null; // what has come is there, and the rest comes later
        const silent = !answered(error);
        const again = full || silent || status === 423 || status === 409 || (status >= 500 && status !== 507);
        if (again) Object.assign(upload, { state: full ? "full" : "interrupted", left: 0 });
        return again;
      },
      onError: (error) => {
        running.delete(upload.key);
        upload.state = "failed";
        upload.problem = words(file.name, error as DetailedError);
        next();
      },
      onSuccess: () => remove(upload.key),
    });
    entry.tus = tus;
    upload.state = "sending";
    const found = await tus.findPreviousUploads();
    if (running.get(upload.key) !== entry) return;
    const earlier = found.find((f) => !inUse(f));
    if (earlier) tus.resumeFromPreviousUpload(earlier);
    tus.start();
  }

  /** Takes up again what has not moved for long. */
  function revive(): void {
    const now = performance.now();
    for (const upload of list.value) {
      const entry = running.get(upload.key);
      const tus = entry?.tus;
      if (!tus || upload.state !== "sending" || now - entry.moved < STALLED_MS) continue;
      entry.moved = now;
      Object.assign(upload, { state: "interrupted", left: 0 });
      void tus.abort().then(() => running.get(upload.key) === entry && tus.start());
    }
  }
  setInterval(revive, STALLED_MS / 4);

  function inUse(found: PreviousUpload): boolean {
    return [...running.values()].some((r) => !!r.tus?.url && r.tus.url === found.uploadUrl);
  }

  function progress(upload: Upload, entry: Running, sent: number): void {
    const now = performance.now();
    if (!entry.begun || upload.state !== "sending") Object.assign(entry, { begun: now, from: sent });
    upload.state = "sending";
    entry.moved = now;
    upload.sent = sent;
    const rate = (sent - entry.from) / Math.max(1, now - entry.begun);
    upload.left = rate > 0 ? (upload.size - sent) / rate / 1000 : 0;
  }

  /** Cancels an upload, or takes a failed one off the list. */
  function remove(key: number): void {
    const entry = running.get(key);
    running.delete(key);
    files.delete(key);
    const upload = list.value.find((u) => u.key === key);
    if (entry && upload && upload.sent < upload.size) void entry.tus?.abort(true).catch(() => undefined);
    list.value = list.value.filter((u) => u.key !== key);
    next();
  }

  return { list, going, add, remove };
});

/** The script that sends files. It comes with the first one, or before; while it does not come it is asked for again. */
async function sending(interrupted: () => void): Promise<typeof import("tus-js-client")> {
  for (;;) {
    try {
      return await import("tus-js-client");
    } catch {
      interrupted();
      await new Promise((again) => setTimeout(again, SCRIPT_AGAIN_MS));
    }
  }
}

/** Whether Ruvel itself has answered: what a proxy says in its place is silence. */
function answered(error: DetailedError): boolean {
  const mark = error.originalResponse?.getHeader(OURS);
  return mark !== undefined && mark !== null && mark !== "";
}

function metadata(show: string, file: File, purpose: Purpose): Record<string, string> {
  const data: Record<string, string> = { show, filename: file.name.slice(0, 300) };
  if (purpose.episode) {
    data.episode = purpose.episode;
    data.start = String(Math.max(0, Math.round(purpose.start ?? 0)));
    if (purpose.track) data.track = purpose.track;
    if (purpose.lined) data.lined = purpose.lined;
  }
  if (purpose.part) data.part = purpose.part;
  if (purpose.replaces) data.replaces = purpose.replaces;
  return data;
}

function words(name: string, error: DetailedError): string {
  try {
    return refusalOf(JSON.parse(error.originalResponse?.getBody() ?? "")).message;
  } catch {
    return `${name}: the connection broke off. Drop the file again; it goes on where it stopped.`;
  }
}
