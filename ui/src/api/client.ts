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

/** Gives the data of an answer, or throws a Refusal. */
export async function ask<T>(request: Promise<Answer<T>>): Promise<T> {
  let answer;
  try {
    answer = await request;
  } catch {
    throw new Refusal("Ruvel does not answer. Is it still running? What you did last was not kept.", "unreachable");
  }
  if (answer.error !== undefined) {
    throw refusalOf(answer.error);
  }
  return answer.data as T;
}

export function refusalOf(error: unknown): Refusal {
  const problem = (error ?? {}) as Partial<Problem>;
  return new Refusal(problem.detail ?? "Something went wrong.", problem.code ?? "unknown", problem.current);
}
