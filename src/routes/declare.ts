import { z } from "zod";
import { SieveError } from "@/core/kernel/problem.ts";

/** One request of the HTTP API: the handler, the pages' client, docs/api.md and the OpenAPI document are made by it. */
export interface Declared<
  Params extends z.ZodRawShape = z.ZodRawShape,
  Query extends z.ZodRawShape = z.ZodRawShape,
  Body extends z.ZodType = z.ZodType,
  Answer extends z.ZodType = z.ZodType,
> {
  readonly method: "GET" | "POST" | "PUT" | "DELETE";
  /** With {names} of the parameters in it. */
  readonly path: string;
  /** What it does, for docs/api.md. */
  readonly about: string;
  readonly params: Params;
  readonly query: Query;
  /** Of JSON; null for a request that has none. */
  readonly body: Body | null;
  /** A file that is streamed in as the body. */
  readonly takesFile: boolean;
  readonly answer: Answer;
  /** The type of an answer that is no JSON. */
  readonly gives: string;
  /** Codes of problems that this request may have, besides those that any may have. */
  readonly problems: readonly string[];
}

type Given<D> = Omit<Partial<D>, "method" | "path" | "about"> & { about: string };

/** Declares a request. `line` is its method and path: `POST /api/feeds/{feed}/trial`. */
export function declare<
  Params extends z.ZodRawShape = z.ZodRawShape,
  Query extends z.ZodRawShape = Record<never, never>,
  Body extends z.ZodType = z.ZodUndefined,
  Answer extends z.ZodType = z.ZodType<unknown>,
>(line: string, given: Given<Declared<Params, Query, Body, Answer>>): Declared<Params, Query, Body, Answer> {
  const [method, path = ""] = line.split(" ");
  return {
    params: {} as Params,
    query: {} as Query,
    body: null,
    takesFile: false,
    answer: z.unknown() as unknown as Answer,
    gives: "application/json",
    problems: [],
    ...given,
    method: method as Declared["method"],
    path,
  };
}

/** A number in a path; `what` it is of: “The load”. */
export function numberOf(what: string): z.ZodType<number, string> {
  return z
    .string()
    .regex(/^\d{1,9}$/, `${what} is not a number.`)
    .transform(Number);
}

/** An answer that is known to the compiler by a type of the store's or the engine's, and here by its words. */
export function answerOf<T>(words: string): z.ZodType<T, T> {
  return z.custom<T>(() => true).describe(words);
}

export type ParamsOf<D> =
  D extends Declared<infer P, z.ZodRawShape, z.ZodType, z.ZodType> ? z.infer<z.ZodObject<P>> : never;
export type QueryOf<D> =
  D extends Declared<z.ZodRawShape, infer Q, z.ZodType, z.ZodType> ? z.infer<z.ZodObject<Q>> : never;
export type BodyOf<D> = D extends Declared<z.ZodRawShape, z.ZodRawShape, infer B, z.ZodType> ? z.infer<B> : never;
export type AnswerOf<D> = D extends Declared<z.ZodRawShape, z.ZodRawShape, z.ZodType, infer A> ? z.infer<A> : never;
/** What a client gives: options with a default may be left out. */
export type QueryGiven<D> =
  D extends Declared<z.ZodRawShape, infer Q, z.ZodType, z.ZodType> ? z.input<z.ZodObject<Q>> : never;
export type BodyGiven<D> = D extends Declared<z.ZodRawShape, z.ZodRawShape, infer B, z.ZodType> ? z.input<B> : never;

/** A path with its parameters put in. Throws `usage` where one is missing. */
export function pathWith(path: string, params: Readonly<Record<string, string | number>>): string {
  return path.replace(/\{(\w+)\}/g, (_, name: string) => {
    const value = params[name];
    if (value === undefined) throw new SieveError("usage", `The path ${path} needs ${name}.`);
    return encodeURIComponent(String(value));
  });
}
