/**
 * Carries requests from a thread of its own. On a page that draws sixty pictures a second an answer comes in several
 * pieces, each behind another picture; here it comes in one.
 */

/** A request as it goes to the courier. */
export interface Letter {
  id: number;
  url: string;
  method: string;
  headers: [string, string][];
  body: string | undefined;
}

/** What comes back for it; without a status, the server could not be reached. */
export interface Reply {
  id: number;
  status?: number;
  headers: [string, string][];
  text: string;
}

let worker: Worker | undefined;
/** There is no such thread, as when its script is of a version that the server does not have any more. */
let missing = false;
let letters = 0;
const waiting = new Map<number, (reply: Reply) => void>();

/** Has the courier ready before it is needed. */
export function callCourier(): void {
  if (worker || missing) return;
  worker = new Worker(new URL("./courierWorker.ts", import.meta.url), { type: "module" });
  worker.onmessage = ({ data }: MessageEvent<Reply>) => {
    waiting.get(data.id)?.(data);
    waiting.delete(data.id);
  };
  worker.onerror = () => {
    missing = true;
    for (const [id, done] of waiting) done({ id, headers: [], text: "the courier cannot be called" });
    waiting.clear();
  };
}

/** A request whose body is text that can be passed on as it is. */
export class TextRequest extends Request {
  readonly sent: string | undefined;

  constructor(url: string | URL | Request, init?: RequestInit) {
    super(url, init);
    this.sent = typeof init?.body === "string" ? init.body : undefined;
  }
}

/** Sends a request; in the place of fetch. */
export async function carry(request: Request): Promise<Response> {
  callCourier();
  if (missing) return fetch(request);
  const { url, method } = request;
  const body = request instanceof TextRequest ? request.sent : await request.text();
  const letter: Letter = { id: ++letters, url, method, headers: [...request.headers], body };
  const reply = await new Promise<Reply>((done) => {
    waiting.set(letter.id, done);
    worker!.postMessage(letter);
  });
  if (reply.status === undefined) throw new TypeError(reply.text);
  return new Response(reply.text, { status: reply.status, headers: reply.headers });
}
