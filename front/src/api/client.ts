import createClient from "openapi-fetch";
import type { components, paths } from "./schema";
import { noted } from "./waiting";

export type Schemas = components["schemas"];
export const api = createClient<paths>({ baseUrl: "" });

/** What the server says when something cannot be done: a sentence, where, what to do. */
export class Problem extends Error {
  constructor(
    readonly what: string,
    readonly cure: string,
    readonly status: number,
    readonly where = "",
  ) {
    super(cure ? `${what} ${cure}` : what);
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The data of an answer, which may be empty (204); throws the server's own sentence otherwise. */
export async function told<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await noted(asked);
  } catch {
    throw new Problem("Etiquette is not answering.", "Check that it is running; nothing you confirmed is lost.", 0);
  }
  if (answer.response.ok) return answer.data as T;
  const body = (answer.error ?? {}) as { title?: string; do?: string; where?: string };
  throw new Problem(body.title ?? "That did not work.", body.do ?? "Try it again.", answer.response.status, body.where);
}

/** What openapi-fetch makes of a schema: its mapped type turns pairs into plain arrays. */
type Loose<T> = T extends (infer E)[] ? Loose<E>[] : T extends object ? { [K in keyof T]: Loose<T[K]> } : T;

/** Like `told`, for an answer named by its schema, with pairs of numbers kept as pairs. */
export function shown<N extends keyof Schemas>(asked: Promise<Answer<Loose<Schemas[N]>>>): Promise<Schemas[N]> {
  return told(asked) as Promise<Schemas[N]>;
}
