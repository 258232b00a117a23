import type { Cells, Heap } from "./bytes.ts";

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
