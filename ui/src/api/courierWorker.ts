/** The thread of the courier. */
import type { Letter, Reply } from "./courier";

self.onmessage = async ({ data: { id, url, ...init } }: MessageEvent<Letter>) => {
  let reply: Reply;
  try {
    const answer = await fetch(url, init);
    reply = { id, status: answer.status, headers: [...answer.headers], text: await answer.text() };
  } catch (error) {
    reply = { id, headers: [], text: String(error) };
  }
  self.postMessage(reply);
};
