import type { z } from "zod";
import type { Test } from "../kernel/column.ts";

/**
 * Checks the cells of a column and makes them canonical: a span afterwards holds what PostgreSQL
 * takes for the type. The span of a value that does not fit is left alone.
 */
export type Convert = Test;

/** A field type: one file each, from which the plan's schema, the editor, the DDL and the docs come. */
export interface TypePart<Options extends object> {
  readonly id: string;
  readonly title: string;
  /** The type's own properties in a field of the contract. */
  readonly options: z.ZodRawShape;
  /** The column type in the target. */
  sql(options: Options): string;
  /** What a good value is, in words that follow “expected ”. */
  expected(options: Options): string;
  /** What a bad value is not, in words that follow “is not ”. */
  noun: string;
  /** How `least` and `most` compare canonical values; null where there is no order. */
  readonly order: "number" | "bytes" | null;
  convert(options: Options): Convert;
  /** Run as tests: a value as it arrives and what it becomes, or null where it does not fit. */
  readonly examples: readonly { options: Options; from: string; to: string | null }[];
}
