import type { Cells, Heap } from "../kernel/bytes.ts";
import type { Field, FieldCheck } from "../plan/schema.ts";

/**
 * Looks at every cell of a column: writes the numbers of the records that fail to `bad`, which has
 * room for `count`, and returns how many those are. Empty cells pass, but for `required`. Whole
 * columns and not cell by cell, because a call a cell costs more than most checks.
 */
export type Test = (heap: Heap, cells: Cells, count: number, bad: Int32Array) => number;

/** A test of whole columns from one of a single cell that is not empty. */
export function eachCell(passes: (heap: Heap, cells: Cells, record: number) => boolean): Test {
  return (heap, cells, count, bad) => {
    const { start, end } = cells;
    let n = 0;
    for (let r = 0; r < count; r++) {
      if (start[r] !== end[r] && !passes(heap, cells, r)) bad[n++] = r;
    }
    return n;
  };
}

/** A check on one field's cells: one file each. */
export interface CheckPart {
  readonly id: FieldCheck;
  /** Whether the field's contract asks for it. */
  asked(field: Field): boolean;
  /** What holds when it passes: “collected_on is a date”. */
  title(field: Field): string;
  /** What is wrong with a value, for the sender. */
  message(field: Field, value: string): string;
  /** What was expected, in words that follow “expected ”. */
  expected(field: Field): string;
  /** Null for what is not decided cell by cell. */
  test(field: Field): Test | null;
}
