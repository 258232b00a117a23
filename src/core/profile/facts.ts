import type { CountedValue } from "./counted-values.ts";
import type { KeyCandidate } from "./keys.ts";
import type { KindFacts } from "./kinds.ts";

export const PROFILE_FORMAT = "good-sieve/profile@1";

/** What a type candidate is called, and how many of the filled values fit it. */
export interface TypeCandidate {
  readonly type:
    | "integer"
    | "decimal"
    | "decimal comma"
    | "boolean"
    | "timestamp"
    | "UUID"
    | "JSON"
    | "written date"
    | "short year"
    | "written number"
    | `date ${string}`
    | `timestamp ${string}`
    | `time ${string}`;
  readonly fits: number;
}

export interface NumberFacts {
  readonly count: number;
  readonly least: number;
  readonly most: number;
  readonly mean: number;
  /** Standard deviation. */
  readonly spread: number;
  /** At 0, 5, 25, 50, 75, 95 and 100 %. */
  readonly quantiles: readonly number[];
  /** The quantiles come from this many values; all of them when it is `count`. */
  readonly sampled: number;
  /** Counts in equal bands from the least to the most. */
  readonly bands: readonly number[];
  /** Values beyond three times the middle half from its ends (Tukey, 1977); estimated where sampled. */
  readonly outliers: number;
  /** What lies beyond these is far out; absent where nothing does. */
  readonly fences?: readonly [number, number];
  readonly extremes: { readonly low: readonly CountedValue[]; readonly high: readonly CountedValue[] };
  /** Most digits before and after the point. */
  readonly whole: number;
  readonly part: number;
  /** A number with more than one digit begins with 0: it is a code and no number. */
  readonly leadingZeros: number;
  /** Numbers of one to three digits, a point (or a comma) and three more: they may be thousands. */
  readonly pointThousands?: number;
  /** Most digits of a number without a mark. */
  readonly unmarked?: number;
  readonly commaThousands?: number;
}

export interface ColumnProfile {
  readonly name: string;
  /** Records that could be read. */
  readonly records: number;
  readonly filled: number;
  readonly empty: number;
  /** Nothing but white space. */
  readonly blank: number;
  /** Words that mean nothing, as they are written. */
  readonly nothing: readonly CountedValue[];
  readonly distinct: number;
  /** Exact, or estimated with this standard error. */
  readonly distinctError: number;
  /** Values that an earlier record has too; null where it was not followed to the end. */
  readonly repeats: number | null;
  readonly length: { readonly least: number; readonly most: number; readonly mean: number };
  readonly least: string;
  readonly most: string;
  readonly shapes: readonly (CountedValue & { readonly example: string })[];
  readonly otherShapes: number;
  readonly common: readonly CountedValue[];
  readonly rare: readonly CountedValue[];
  /** Counts of common values may fall short by this. */
  readonly countError: number;
  readonly types: readonly TypeCandidate[];
  readonly numbers: NumberFacts | null;
  readonly loose: number;
  readonly doubled: number;
  readonly casing: { readonly upper: number; readonly lower: number; readonly mixed: number };
  /** Days that programs put where they know none, as they are written. */
  readonly defaultDates?: readonly CountedValue[];
  /** Days after the one on which the delivery came, however day and month are read. */
  readonly future?: number;
  /** Different values that are the same as a more frequent one but for case; where all of them are known. */
  readonly caseTwins?: number;
  /** What values are that are neither plain numbers nor dates in digits; absent in profiles of before. */
  readonly kinds?: KindFacts | null;
  /** Dates that could be read with the day or the month first, and those that fit only one. */
  readonly dateOrders: { readonly dayFirst: number; readonly monthFirst: number; readonly either: number } | null;
  /** Days whose year has two digits; null where there are none, left out by profiles from before they were looked for. */
  readonly shortYears?: ShortYears | null;
}

export interface YearsOf {
  readonly ahead: number;
  readonly before: number;
}

/** Days whose year has two digits, by which of the three numbers may be the year, the month and the day. */
export interface ShortYears {
  /** Values that are a day in one order or another. */
  readonly count: number;
  /** Of them those with a time of day behind the day; left out by profiles from before it was looked for. */
  readonly timed?: number;
  readonly dayFirst: number;
  readonly monthFirst: number;
  readonly yearFirst: number;
  /** Of those that end with the year, and of those that begin with it: how many lie ahead as years of two digits are usually read, and how many in the century before. */
  readonly endsWith: YearsOf;
  readonly beginsWith: YearsOf;
  /** The year of the profile, of two digits. */
  readonly now: number;
  /** One of them, as it is written. */
  readonly example: string;
}

/** Every value of one column goes with one value of the other, in the records that were compared. */
export interface Determines {
  readonly column: string;
  readonly other: string;
}

export interface Profile {
  readonly format: typeof PROFILE_FORMAT;
  readonly records: number;
  readonly unreadable: number;
  readonly columns: readonly ColumnProfile[];
  readonly determines: readonly Determines[];
  /** Records over which columns were compared with each other. */
  readonly compared: number;
  /** Records that are alike in all columns with an earlier one, and the first of them; absent in profiles of before. */
  readonly duplicates?: {
    readonly count: number;
    /** By their numbers in the delivery, from 1. */
    readonly some: readonly { readonly record: number; readonly of: number }[];
  };
  /** Columns that together tell one record from another, where no column does by itself. */
  readonly keys?: readonly KeyCandidate[];
}

/** Characters that a value of a key has at most. */
export const LONGEST_KEY = 64;

/** Whether a column may be a key by itself: filled, and hardly a value given twice. */
export function mayBeKey(column: ColumnProfile): boolean {
  return (
    column.repeats !== null &&
    column.filled >= column.records * 0.99 &&
    column.filled > 1 &&
    column.repeats <= column.filled * 0.01 &&
    column.length.most <= LONGEST_KEY
  );
}
