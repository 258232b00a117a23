import { ZodError, z } from "zod";
import { SieveError, grouped } from "@/core/kernel/problem.ts";
import { inWords, isStoreAway, openDb, type Db } from "@/store/db.ts";
import { makeLog, requestNow } from "@/store/log.ts";
import type { AnswerOf, BodyOf, Declared, ParamsOf, QueryOf } from "@/routes/declare.ts";
import { statusOf } from "@/routes/problems.ts";

const log = makeLog("web", "warn");
const holder = globalThis as { sieveDb?: Db };

/** The web process's pool. */
export function db(): Db {
  return (holder.sieveDb ??= openDb(undefined, 12, { patience: 5000 }));
}

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
    return problem(statusOf(code), code, { title, detail, hint }, { ...error.facts, ...facts });
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
async function jsonOf(request: Request): Promise<unknown> {
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

/** A whole number from the path of a page. Throws 422 for anything else. */
export function wholeNumber(text: string, name: string): number {
  if (!/^\d{1,9}$/.test(text)) throw new SieveError("usage", `${name} is “${text}”, not a number.`);
  return Number(text);
}

type Handler<D> = (asked: {
  readonly params: ParamsOf<D>;
  readonly query: QueryOf<D>;
  readonly body: BodyOf<D>;
  readonly request: Request;
}) => Promise<Response | AnswerOf<D>>;

/** A route's handler: what is asked is held to its declaration, what is answered is JSON, errors are problem details. */
export function handle<D extends Declared>(declared: D, handler: Handler<D>) {
  const [params, query] = [z.object(declared.params), z.object(declared.query)];
  return async (request: Request, context: { params: Promise<Record<string, string>> }): Promise<Response> => {
    const id = request.headers.get("x-request-id") ?? undefined;
    const run = async (): Promise<Response> => {
      const answer = await handler({
        params: params.parse((await context.params) ?? {}) as ParamsOf<D>,
        query: query.parse(Object.fromEntries(new URL(request.url).searchParams)) as QueryOf<D>,
        body: (declared.body ? declared.body.parse(await jsonOf(request)) : undefined) as BodyOf<D>,
        request,
      });
      return answer instanceof Response ? answer : Response.json(answer ?? {});
    };
    try {
      if (request.url.includes("%00")) throw NUL;
      return await (id ? requestNow.run(id, run) : run());
    } catch (error) {
      return problemResponse(error, id);
    }
  };
}
