import { ZodError } from "zod";
import { SieveError } from "@/core/problem.ts";
import { openDb, type Db } from "@/store/db.ts";

const holder = globalThis as { sieveDb?: Db };

/** The web process's pool. */
export function db(): Db {
  return (holder.sieveDb ??= openDb(undefined, 12));
}

const STATUS: Record<string, number> = {
  "no-feed": 404,
  "no-plan": 404,
  "no-load": 404,
  "no-writing": 404,
  "no-delivery": 404,
  "no-record": 404,
  "no-pair": 404,
  "no-cluster": 404,
  "no-member": 404,
  "no-list": 404,
  "list-exists": 409,
  "list-moved": 409,
  "formula-moved": 409,
  "set-moved": 409,
  "row-gone": 409,
  "not-reconciled": 409,
  "no-profile": 404,
  "no-source": 404,
  "feed-exists": 409,
  "loaded-before": 409,
  "wrong-state": 409,
  "cannot-undo": 409,
  "plan-moved": 409,
  "file-too-large": 413,
  "not-allowed": 403,
};

/** RFC 9457 problem details. */
function problem(
  status: number,
  code: string,
  words: { title: string; detail?: string; hint: string },
  facts: object = {},
): Response {
  return Response.json(
    { type: `urn:good-sieve:${code}`, title: words.title, detail: words.detail ?? "", hint: words.hint, ...facts },
    { status, headers: { "content-type": "application/problem+json" } },
  );
}

/** An error as problem details. What is not the user's doing is logged and not shown. */
export function problemResponse(error: unknown): Response {
  if (error instanceof SieveError) {
    const { code, message: title, detail, hint, facts } = error;
    return problem(STATUS[code] ?? 422, code, { title, detail, hint }, facts);
  }
  if (error instanceof ZodError) {
    const faults = error.issues.map((i) => `${i.path.join(".")}: ${i.message}`);
    return problem(422, "usage", {
      title: "The request is not as it should be.",
      detail: faults.join("; "),
      hint: "docs/api.md describes it.",
    });
  }
  if (isOfValues(error)) {
    return problem(422, "usage", {
      title: "A value of the request can't be used.",
      detail: error.message,
      hint: "docs/api.md says which values can be given.",
    });
  }
  console.error(error);
  return problem(500, "failure", {
    title: "Something failed here that should not have.",
    hint: "Try again; the log of the web process says more.",
  });
}

/** Whether the database refused a value that it was given, such as a number past all limits (SQLSTATE class 22). */
function isOfValues(error: unknown): error is Error {
  return error instanceof Error && /^22[0-9A-Z]{3}$/.test(String((error as { code?: unknown }).code));
}

/** The database keeps no text with a NUL character in it. */
const hasNul = (text: string): boolean => text.includes("\0");
const NUL = new SieveError("usage", "The request has a NUL character in it.", {
  hint: "Take it out: no name and no text here can have one.",
});

/** Requests that change something must come from our own pages, or from a program that is no browser. */
export function guard(request: Request): void {
  const site = request.headers.get("sec-fetch-site");
  if (site && site !== "same-origin" && site !== "none") {
    throw new SieveError("not-allowed", "The request came from another site.");
  }
}

/** Reads a small JSON body. */
export async function body(request: Request): Promise<unknown> {
  guard(request);
  const text = await request.text();
  if (text.length > 4_000_000) throw new SieveError("too-large", "The request is too large.");
  try {
    if (text === "") return {};
    const nul = text.includes("\\u0000");
    return JSON.parse(text, (key, value: unknown) => {
      if (nul && (hasNul(key) || (typeof value === "string" && hasNul(value)))) throw NUL;
      return value;
    });
  } catch (error) {
    if (error === NUL) throw error;
    throw new SieveError("not-json", "The request's body is not JSON.");
  }
}

/** A whole number from a path or a query. Throws 422 for anything else. */
export function wholeNumber(text: string, name: string): number {
  if (!/^\d{1,9}$/.test(text)) throw new SieveError("usage", `${name} is “${text}”, not a number.`);
  return Number(text);
}

type Handler<P> = (request: Request, params: P) => Promise<Response | object | null>;

/** A route handler: gives JSON, turns errors into problem details. */
export function route<P extends Record<string, string>>(handler: Handler<P>) {
  return async (request: Request, context: { params: Promise<P> }): Promise<Response> => {
    try {
      if (request.url.includes("%00")) throw NUL;
      const result = await handler(request, await context.params);
      return result instanceof Response ? result : Response.json(result ?? {});
    } catch (error) {
      return problemResponse(error);
    }
  };
}
