import { SieveError, grouped, listed } from "../kernel/problem.ts";
import { readPartitions, type Partition } from "../write/files/partition.ts";
import type { Field } from "../field/field.ts";

/** Fields of a slice. */
const MOST = 8;

/** What a load replaces: all of its target's rows, or those of the slices that came. */
export interface ReplacedRows {
  /** Rows that were there and make room for those that came. */
  readonly rows: number;
  /** How many slices came; null where all rows are replaced. */
  readonly slices: number | null;
}

interface Sliced {
  readonly contract: { readonly fields: readonly Field[] };
  readonly load: { readonly slice?: string | undefined };
}

/** By what the rows are told apart that a delivery replaces, such as the partner and the month; empty where it replaces all of them, or none. */
export function sliceOf({ contract, load }: Sliced): readonly Partition[] {
  return load.slice === undefined ? [] : readPartitions(load.slice, contract.fields);
}

/** What is wrong with a slice, in words; null where nothing is. */
export function sliceFault(
  plan: Sliced & { readonly load: { readonly mode: string }; readonly match?: unknown },
): string | null {
  if (plan.load.slice === undefined) return null;
  if (plan.load.mode !== "replace") return "A slice is what is replaced: the mode must be replace.";
  if (plan.match !== undefined)
    return "Where records are matched, one may be in a row of another slice: a slice can't be replaced.";
  try {
    const parts = sliceOf(plan);
    if (parts.length === 0) return "A slice needs a field at least.";
    return parts.length > MOST ? `A slice may have ${MOST} fields.` : null;
  } catch (error) {
    if (error instanceof SieveError) return `${error.message} ${error.hint}`;
    throw error;
  }
}

/** A slice in words: “partner and month of collected_on”. */
export function sliceWords(parts: readonly Partition[]): string {
  return listed(parts.map(({ field, by }) => (by === undefined ? field : `${by} of ${field}`)));
}

/** What was replaced, or would be, in words. */
export function replacedWords({ rows, slices }: ReplacedRows, would: string): string {
  const of =
    slices === null
      ? "all that the target had"
      : `of ${slices === 1 ? "1 slice" : `${grouped(slices)} slices`} that came`;
  return `${rows === 1 ? "1 row" : `${grouped(rows)} rows`} ${would}replaced, ${of}`;
}
