import type { z } from "zod";
import type { Field } from "../../field/field.ts";
import type { TypeId } from "../../type/index.ts";
import { DAY, timeText } from "../../formula/value.ts";
import type { SortedRuns } from "./runs.ts";

/** What is wrong with a record, seen beside the others of its delivery. */
export interface Late {
  readonly record: number;
  /** The part and the line of the record that it does not go with; null where it is no single one. */
  readonly file: number | null;
  readonly line: number | null;
  /** The facts, in words. */
  readonly detail: string | null;
}

/** A record of a block as a check between records asks for it. */
export interface RecordView {
  /** Whether any of the fields is empty or no value of its type. */
  lacks(fields: readonly number[]): boolean;
  /** Hashes some fields; equal values of comparable types have equal hashes. Left in `a` and `b`. */
  hash(fields: readonly number[]): void;
  a: number;
  b: number;
  /** The value of a number, a day (since 1970) or a moment (in millionths of a second); NaN for none. */
  number(field: number): number;
  /** No check has held it so far. */
  readonly good: boolean;
  readonly record: number;
  readonly file: number;
  readonly line: number;
}

/** A check between records made ready: what it keeps of each, and what it finds in what was kept. */
export interface Between {
  /** Numbers of the fields that it looks at. */
  readonly uses: readonly number[];
  take(view: RecordView, runs: SortedRuns): void;
  resolve(runs: SortedRuns): Generator<Late>;
  /** What is wrong with a record, for its sender. `values`: of the fields in `shows`. */
  message(values: readonly string[], detail: string | null, other: string | null): string;
  /** Numbers of the fields whose cells are marked, the one with the fault first. */
  readonly shows: readonly number[];
}

/** A kind of check between records; one file each, from which the schema, the editor and the docs come. */
export interface BetweenPart<Options extends object, Id extends string = string> {
  readonly id: Id;
  readonly title: string;
  readonly about: string;
  readonly options: z.ZodRawShape;
  /** Options that name a field, or several. */
  readonly fieldOptions: readonly string[];
  /** Whether a record with the fault is held unless something else is said. */
  readonly onFailure: "hold" | "note";
  /** What holds when it passes. */
  words(options: Options): string;
  expected: string;
  /** What is wrong with the options, or null. */
  fault(options: Options, field: (name: string) => Field | undefined): string | null;
  make(options: Options, number: (name: string) => number, fields: readonly Field[]): Between;
  /** Run as tests: records of text cells by field, and which of them fail, with the facts told. */
  readonly examples: readonly {
    readonly types: Readonly<Record<string, TypeId>>;
    readonly options: Options;
    readonly records: readonly Readonly<Record<string, string>>[];
    readonly fails: Readonly<Record<number, string>>;
  }[];
}

/** Types whose values have a next one, a step of one away. */
export const STEPPED: readonly TypeId[] = ["integer", "date"];
/** Types whose values can be put in order. */
export const ORDERED: readonly TypeId[] = ["integer", "decimal", "date", "timestamp"];

/** A value as `RecordView.number` gives it, in words. */
export function valueText(type: TypeId, value: number): string {
  if (type === "date") return timeText(value * DAY, true);
  return type === "timestamp" ? timeText(value, false) : String(value);
}

/** “one or more of a field's names, each of which must be of some types”, as a fault or null. */
export function notOf(
  names: readonly string[],
  types: readonly TypeId[],
  field: (name: string) => Field | undefined,
): string | null {
  for (const name of names) {
    const f = field(name);
    if (f && !types.includes(f.type)) {
      return `${name} is of the type ${f.type}; the check needs ${types.length > 1 ? `${types.slice(0, -1).join(", ")} or ${types.at(-1)}` : types[0]}.`;
    }
  }
  return null;
}

/** “in each box_code”, or nothing. */
export function perGroup(by: readonly string[] | undefined): string {
  return by && by.length > 0 ? ` in each ${by.join(" and ")}` : "";
}
