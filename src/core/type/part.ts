import { z } from "zod";
import type { Test } from "../kernel/column.ts";

/**
 * Checks the cells of a column and makes them canonical: a span afterwards holds what PostgreSQL
 * takes for the type. The span of a value that does not fit is left alone.
 */
export type Convert = Test;

/** Types of the formula language, CEL's own. */
export type ValueType = "int" | "double" | "string" | "bool" | "timestamp" | "duration" | "null" | "list" | "dyn";

/** A column of a database, as its catalogue has it. */
export interface ColumnType {
  /** As the database writes it: `character varying(20)`, `numeric(9,3)`. */
  readonly type: string;
  /** The values of an enumerated type. */
  readonly labels: readonly string[] | null;
}

const limit = z.union([z.number(), z.string().min(1).max(60)]);

/** Limits of a field, of whatever type; a type may choose its column by them. */
export const limits = {
  least: limit.optional().describe("The least value allowed"),
  most: limit.optional().describe("The greatest value allowed"),
};

/** A type's settings as one line of text, for tables that people edit. */
export interface SettingsLine<Options extends object> {
  /** What stands there, in a few words. */
  readonly hint: string;
  show(options: Partial<Options>): string;
  /** What is not understood becomes the usual. */
  take(text: string): Partial<Options>;
}

/** A field type: one file each, from which the plan's schema, the editor, the DDL and the docs come. */
export interface TypePart<Options extends object> {
  readonly id: string;
  readonly title: string;
  /** What values it has, in one sentence. */
  readonly about: string;
  /** The type's own properties in a field of the contract. */
  readonly options: z.ZodRawShape;
  /** Absent for a type that has no settings. */
  readonly line?: SettingsLine<Options>;
  /** What of the settings can't stand together, or null. */
  fault?(options: Options): string | null;
  /** The column type in the target, as the database's catalogue writes it. */
  sql(options: Options): string;
  /** Whether a column of a database takes every value of the type. */
  fits(column: ColumnType, options: Options): boolean;
  /** What a good value is, in words that follow “expected ”. */
  expected(options: Options): string;
  /** What a bad value is not, in words that follow “is not ”. */
  readonly noun: string;
  /** What a value is in a formula. */
  value(options: Options): ValueType;
  /** How `least` and `most` compare canonical values; null where there is no order. */
  order(options: Options): "number" | "bytes" | null;
  /** The canonical form of a limit, for types whose limits are no plain numbers; null for what is no value. */
  limit?(text: string): string | null;
  /** The canonical value is written otherwise than the cell; the rest keep its very digits or letters. */
  readonly rewrites: boolean;
  convert(options: Options): Convert;
  /** Run as tests: a value as it arrives and what it becomes, or null where it does not fit. */
  readonly examples: readonly { options: Options; from: string; to: string | null }[];
}

/** The values of a list with commas between. */
export function splitList(text: string): string[] {
  return text
    .split(",")
    .map((v) => v.trim())
    .filter((v) => v !== "");
}

/** How many characters a column of a database takes; Infinity where it sets no limit, NaN where it is no text. */
export function charactersOf(type: string): number {
  if (type === "text" || type === "character varying") return Infinity;
  return Number(/^(?:character varying|character)\((\d+)\)$/.exec(type)?.[1] ?? NaN);
}

/** Whether a column takes all decimals of so many digits before and after the point. */
export function takesDecimals(type: string, whole: number, scale: number): boolean {
  if (type === "double precision" || type === "real") return whole + scale <= 15;
  const numeric = /^numeric(?:\((\d+),(\d+)\))?$/.exec(type);
  if (!numeric) return false;
  return numeric[1] === undefined || (scale <= Number(numeric[2]) && whole <= Number(numeric[1]) - Number(numeric[2]));
}
