import createClient from "openapi-fetch";
import { door, sayNotLetIn } from "./door";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export const api = createClient<paths>({ baseUrl: door && `/${door}` });

/** An answer that is a problem (RFC 9457); its message is written for the person. */
export class Problem extends Error {
  constructor(
    message: string,
    readonly code: string,
    readonly status: number,
  ) {
    super(message);
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The data of an answer, or a Problem. */
export async function told<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await asked;
  } catch {
    throw new Problem("The application does not answer. Is it still running?", "unreachable", 0);
  }
  if (answer.response.status === 401) sayNotLetIn();
  if (answer.error !== undefined || !answer.response.ok) {
    const problem = (answer.error ?? {}) as Partial<Schemas["Problem"]>;
    const text = problem.detail ?? `The application answered with ${answer.response.status}.`;
    throw new Problem(text, problem.type ?? "unknown", answer.response.status);
  }
  return answer.data as T;
}
