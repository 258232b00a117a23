import { z } from "zod";

/**
 * A schema of several kinds of a thing, told apart by one property. The kinds come from a list of
 * parts, of which the compiler knows less than `T` says; this is the one place where that is asserted.
 */
export function unionOf<T>(property: string, kinds: readonly z.ZodObject[]): z.ZodType<T, T> {
  return z.discriminatedUnion(property, kinds as [z.ZodObject, ...z.ZodObject[]]) as unknown as z.ZodType<T, T>;
}
