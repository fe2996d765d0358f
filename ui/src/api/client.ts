import createClient from "openapi-fetch";
import { isOurs } from "./ours";
import type { components, paths } from "./schema";

/** The types of the API, by the names that its description gives them. */
export type Schema = components["schemas"];
export type Op = Schema["NewEdit"]["op"];
export type Part = "voice" | "music" | "effect";
export type Problem = Schema["ApiError"];

/** Milliseconds after which what changes something is taken for unanswered: a line can die without a sign, as in sleep. */
const PATIENCE_MS = 20_000;

/** A question may take long to be worked out, and bytes to be sent; anything else is soon answered or not at all. */
function patiently(request: Request): Promise<Response> {
  const long = request.method === "GET" || request.headers.get("Content-Type") === "application/octet-stream";
  return long
    ? fetch(request)
    : fetch(request, { signal: AbortSignal.any([request.signal, AbortSignal.timeout(PATIENCE_MS)]) });
}

/** The one fetch client. */
export const api = createClient<paths>({ baseUrl: "/api", fetch: patiently });

/** A request that was answered with a problem, in words for the person at the desk. */
export class Refusal extends Error {
  constructor(
    message: string,
    readonly code: string,
    readonly current = 0,
    /** What else is known of it, such as what stands in a field now. */
    readonly details: { location?: string; value?: unknown }[] = [],
  ) {
    super(message);
  }
}

/** What the fetch client gives. */
export interface Answer<T> {
  data?: T;
  error?: unknown;
  response?: Response;
}

const silence = () => new Refusal("Ruvel does not answer. Is it still running?", "unreachable");

/** Gives the data of an answer, or throws a Refusal. Whatever is not an answer of Ruvel's own is none. */
export async function ask<T>(request: Promise<Answer<T>>): Promise<T> {
  let answer;
  try {
    answer = await request;
  } catch {
    throw silence(); // also of what broke off in its middle
  }
  const { response } = answer;
  if (response && !isOurs(response.headers)) throw silence();
  if (answer.error !== undefined || response?.ok === false) throw refusalOf(answer.error);
  return answer.data as T;
}

/** What is done when nobody is known here any more, and something was asked all the same. */
let unknown: () => void = () => undefined;
export function whenUnknown(does: () => void): void {
  unknown = does;
}

export function refusalOf(error: unknown): Refusal {
  const problem = (typeof error === "object" && error !== null ? error : {}) as Partial<Problem>;
  if (problem.code === "not-signed-in") unknown();
  return new Refusal(
    problem.detail ?? "Something went wrong.",
    problem.code ?? "unknown",
    problem.current,
    problem.errors ?? [],
  );
}
