import { ZodError } from "zod";
import { SieveError, grouped } from "@/core/kernel/problem.ts";
import { inWords, isStoreAway, openDb, type Db } from "@/store/db.ts";
import { makeLog, requestNow } from "@/store/log.ts";

const log = makeLog("web", "warn");
const holder = globalThis as { sieveDb?: Db };

/** The web process's pool. */
export function db(): Db {
  return (holder.sieveDb ??= openDb(undefined, 12, { patience: 5000 }));
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
  "too-large": 413,
  "bytes-expired": 410,
  "detail-expired": 410,
  busy: 503,
  "no-room": 507,
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
export function problemResponse(thrown: unknown, request?: string): Response {
  const facts = request ? { request } : {};
  const error = inWords(thrown);
  if (error instanceof SieveError) {
    const { code, message: title, detail, hint } = error;
    return problem(STATUS[code] ?? 422, code, { title, detail, hint }, { ...error.facts, ...facts });
  }
  if (error instanceof ZodError) {
    const faults = error.issues.map((i) => `${i.path.join(".")}: ${i.message}`);
    return problem(
      422,
      "usage",
      {
        title: "The request is not as it should be.",
        detail: faults.join("; "),
        hint: "docs/api.md describes it.",
      },
      facts,
    );
  }
  if (isOfValues(error)) {
    return problem(
      422,
      "usage",
      {
        title: "A value of the request can't be used.",
        detail: error.message,
        hint: "docs/api.md says which values can be given.",
      },
      facts,
    );
  }
  if (isStoreAway(error)) {
    return problem(
      503,
      "store-away",
      {
        title: "The store can’t be reached just now.",
        detail: "Nothing was changed by this request, unless it was under way already: look before you ask again.",
        hint: "It is tried again with every request; /api/ready says when it is back.",
      },
      facts,
    );
  }
  log.error({ ...facts, error: error instanceof Error ? error.stack : String(error) }, "failed");
  return problem(
    500,
    "failure",
    {
      title: "Something failed here that should not have.",
      hint: "Try again; the log of the web process says more under the request’s number.",
    },
    facts,
  );
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

const MOST_BODY = 4_000_000;

/** Reads a body as text, no further than its limit. */
async function bodyText(request: Request): Promise<string> {
  const tooLarge = new SieveError("too-large", "The request is too large.", {
    detail: `A body of JSON may have ${grouped(MOST_BODY)} bytes.`,
  });
  if (Number(request.headers.get("content-length") ?? 0) > MOST_BODY) throw tooLarge;
  if (!request.body) return "";
  const parts: Uint8Array[] = [];
  let bytes = 0;
  for await (const part of request.body as unknown as AsyncIterable<Uint8Array>) {
    bytes += part.length;
    if (bytes > MOST_BODY) throw tooLarge;
    parts.push(part);
  }
  return Buffer.concat(parts).toString("utf8");
}

/** Reads a small JSON body. */
export async function body(request: Request): Promise<unknown> {
  const text = await bodyText(request);
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
    const id = request.headers.get("x-request-id") ?? undefined;
    try {
      if (request.url.includes("%00")) throw NUL;
      const params = await context.params;
      const result = await (id ? requestNow.run(id, () => handler(request, params)) : handler(request, params));
      return result instanceof Response ? result : Response.json(result ?? {});
    } catch (error) {
      return problemResponse(error, id);
    }
  };
}
