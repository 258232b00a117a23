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

/** Calls the API; throws ApiError with the problem's words. */
export async function api<T>(
  path: string,
  options: { method?: string; json?: unknown; body?: Blob; signal?: AbortSignal } = {},
): Promise<T> {
  const init: RequestInit = { method: options.method ?? (options.json === undefined ? "GET" : "POST") };
  if (options.json !== undefined) {
    init.body = JSON.stringify(options.json);
    init.headers = { "content-type": "application/json" };
  } else if (options.body) init.body = options.body;
  if (options.signal) init.signal = options.signal;
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
  return (await response.json()) as T;
}

/** What went wrong elsewhere, in a load, a profile or the core, as the API would say it. */
export function problemFrom(parts: { message: string; detail: string; hint: string }): ApiProblem {
  return { type: "", title: parts.message, detail: parts.detail, hint: parts.hint };
}

export function problemOf(error: unknown): ApiProblem {
  if (error instanceof ApiError) return error.problem;
  return { type: "", title: error instanceof Error ? error.message : String(error), detail: "", hint: "" };
}
