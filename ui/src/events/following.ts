import { LOOK_MS, openStream, Switchboard, type FromWindow, type ToWindow, type Window } from "./switchboard";

/** What this window does with what it is told. */
export type Follower = (message: Exclude<ToWindow, { type: "there" }>) => void;

let say: ((message: FromWindow) => void) | undefined;
let episode: string | undefined;
let follower: Follower | undefined;

function hear(message: ToWindow): void {
  if (message.type === "there") say?.({ episode, still: true });
  else if (message.type !== "told" || message.event.of === episode) follower?.(message);
}

/** Follows what happens to an episode, until the returned function is called. A window follows one at a time. */
export function followEpisode(id: string, tells: Follower): () => void {
  episode = id;
  follower = tells;
  connect();
  say!({ episode });
  return () => {
    if (follower !== tells) return;
    episode = follower = undefined;
    say?.({ episode });
  };
}

function connect(): void {
  if (say) return;
  if (!("SharedWorker" in globalThis)) return alone();
  const worker = new SharedWorker(new URL("./worker.ts", import.meta.url), { type: "module", name: "ruvel-events" });
  say = (message) => worker.port.postMessage(message);
  worker.port.onmessage = ({ data }: MessageEvent<ToWindow>) => hear(data);
  // Without a thread to share, as when its script is of a version that the server does not have any more.
  worker.onerror = () => alone();
}

/** A switchboard for this window alone. */
function alone(): void {
  const board = new Switchboard(openStream);
  const window: Window = { tell: hear };
  say = (message) => board.hear(window, message);
  setInterval(() => board.look(), LOOK_MS);
  say({ episode });
}

// What is put away and perhaps taken up again, as by the browser's Back, is told of nothing meanwhile.
addEventListener("pagehide", () => say?.({ episode: undefined }));
addEventListener("pageshow", (event) => event.persisted && say?.({ episode, still: true }));
