/** The thread of the courier. */
import type { Letter, Reply } from "./courier";

/** Milliseconds after which an answer is not waited for any more: the line may have died without a sign, as in sleep. */
const PATIENCE_MS = 10_000;

self.onmessage = async ({ data: { id, url, ...init } }: MessageEvent<Letter>) => {
  let reply: Reply;
  try {
    const answer = await fetch(url, { ...init, signal: AbortSignal.timeout(PATIENCE_MS) });
    reply = { id, status: answer.status, headers: [...answer.headers], text: await answer.text() };
  } catch (error) {
    reply = { id, headers: [], text: String(error) };
  }
  self.postMessage(reply);
};
