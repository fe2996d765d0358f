/** The header by which Ruvel's own answers are known: what a proxy says in its place is none. */
export const OURS = "Ruvel";

/** Whether Ruvel itself has answered. */
export const isOurs = (headers: Headers): boolean => headers.has(OURS);

/** Milliseconds after which bytes are not waited for any more. */
const PATIENCE_MS = 30_000;

/** Asks for bytes. Throws if Ruvel does not answer, or does not give them. */
export async function fetchBytes(url: string, signal = AbortSignal.timeout(PATIENCE_MS)): Promise<Response> {
  const answer = await fetch(url, { signal });
  if (!isOurs(answer.headers)) throw new Error("Ruvel does not answer");
  if (!answer.ok) throw new Error(`the server answered ${answer.status}`);
  return answer;
}
