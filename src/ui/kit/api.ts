import {
  pathWith,
  type AnswerOf,
  type BodyGiven,
  type Declared,
  type ParamsOf,
  type QueryGiven,
} from "@/routes/declare.ts";
import { withPath } from "./with-path.ts";

/** What the API says when something is wrong (RFC 9457). */
export interface ApiProblem {
  type: string;
  title: string;
  detail: string;
  hint: string;
  load?: number;
  delivery?: number;
}

export class ApiError extends Error {
  constructor(readonly problem: ApiProblem) {
    super(problem.title);
  }
}

interface Asked<D> {
  readonly params?: Readonly<Record<keyof ParamsOf<D>, string | number>>;
  readonly query?: QueryGiven<D>;
  readonly body?: BodyGiven<D>;
  /** What is streamed in. */
  readonly file?: Blob;
  readonly signal?: AbortSignal | undefined;
}

/** Asks the API for what is declared; throws ApiError with the problem's words. */
export async function ask<D extends Declared>(declared: D, asked: Asked<D> = {}): Promise<AnswerOf<D>> {
  const init: RequestInit = { method: declared.method };
  if (asked.body !== undefined) {
    init.body = JSON.stringify(asked.body);
    init.headers = { "content-type": "application/json" };
  } else if (asked.file) init.body = asked.file;
  if (asked.signal) init.signal = asked.signal;
  const given = Object.entries(asked.query ?? {}).filter(([, v]) => v !== undefined);
  const query = new URLSearchParams(given.map(([k, v]) => [k, String(v)])).toString();
  const path = `${pathWith(declared.path, asked.params ?? {})}${query === "" ? "" : `?${query}`}`;
  let response: Response;
  try {
    response = await fetch(withPath(path), init);
  } catch (error) {
    if ((error as Error).name === "AbortError") throw error;
    throw new ApiError({
      type: "",
      title: "The server can't be reached.",
      detail: "",
      hint: "Check that Good Sieve is running, then try again.",
    });
  }
  if (!response.ok) {
    const problem = (await response.json().catch(() => null)) as ApiProblem | null;
    throw new ApiError(
      problem ?? { type: "", title: `The server answered ${response.status}.`, detail: "", hint: "Try again." },
    );
  }
  return (await response.json()) as AnswerOf<D>;
}

/** What went wrong elsewhere, in a load, a profile or the core, as the API would say it. */
export function problemFrom(parts: { message: string; detail: string; hint: string }): ApiProblem {
  return { type: "", title: parts.message, detail: parts.detail, hint: parts.hint };
}

export function problemOf(error: unknown): ApiProblem {
  if (error instanceof ApiError) return error.problem;
  return { type: "", title: error instanceof Error ? error.message : String(error), detail: "", hint: "" };
}
