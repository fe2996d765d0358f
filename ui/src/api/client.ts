import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

/** The types of the API, by the names that its description gives them. */
export type Schema = components["schemas"];
export type Op = Schema["NewEdit"]["op"];
export type Part = "voice" | "music" | "effect";
export type Problem = Schema["ApiError"];

/** The one fetch client. */
export const api = createClient<paths>({ baseUrl: "/api" });

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

/** The header by which Ruvel's own answers are known: what a proxy says in its place is none. */
export const OURS = "Ruvel";

/** Whether Ruvel itself has answered. */
export const isOurs = (headers: Headers): boolean => headers.has(OURS);

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

export function refusalOf(error: unknown): Refusal {
  const problem = (typeof error === "object" && error !== null ? error : {}) as Partial<Problem>;
  return new Refusal(
    problem.detail ?? "Something went wrong.",
    problem.code ?? "unknown",
    problem.current,
    problem.errors ?? [],
  );
}
