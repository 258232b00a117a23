import { z } from "zod";
import type { Unchanging } from "./unchanging.ts";

/** Schemas of kinds of a thing that come from a list of parts, of which the compiler knows less than `T` says: asserted here alone. */
export const schemasOf = <T>(kinds: readonly z.ZodObject[]): z.ZodType<T, T>[] => kinds as unknown as z.ZodType<T, T>[];

/**
 * A schema of several kinds of a thing, told apart by one property. The kinds come from a list of
 * parts, as those of `schemasOf`.
 */
export function unionOf<T>(property: string, kinds: readonly z.ZodObject[]): z.ZodType<T, T> {
  return z.discriminatedUnion(property, kinds as [z.ZodObject, ...z.ZodObject[]]) as unknown as z.ZodType<T, T>;
}

/** A schema whose values are passed on and never changed. */
export function unchanging<Schema extends z.ZodType>(
  schema: Schema,
): z.ZodType<Unchanging<z.output<Schema>>, Unchanging<z.input<Schema>>> {
  return schema as unknown as z.ZodType<Unchanging<z.output<Schema>>, Unchanging<z.input<Schema>>>;
}
