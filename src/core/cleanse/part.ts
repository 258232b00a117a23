import type { z } from "zod";
import { cellText, type Cells, type Heap } from "../bytes.ts";

/**
 * Works on one column of a block: rewrites spans in place, sets `changed[r]` to 1 for each cell it
 * changed and returns how many those were. Empty cells are left alone.
 */
export type Apply = (heap: Heap, cells: Cells, count: number, changed: Uint8Array) => number;

/** A cleansing step: one file each, from which the plan's schema, the editor and the docs come. */
export interface StepPart<Options extends object> {
  readonly id: string;
  readonly title: string;
  /** One sentence for the person who chooses it. */
  readonly about: string;
  readonly options: z.ZodRawShape;
  apply(options: Options): Apply;
  /** A step of a plan in words: “trim the ends”. */
  words(options: Options): string;
  /** Run as tests. */
  readonly examples: readonly { options: Options; from: string; to: string }[];
}

/** A step from a function of one cell's text; `looks` may pass over cells that it can't change. */
export function byText(
  change: (text: string) => string,
  looks?: (bytes: Uint8Array, start: number, end: number) => boolean,
): Apply {
  return (heap, cells, count, changed) => {
    let n = 0;
    for (let r = 0; r < count; r++) {
      const s = cells.start[r]!;
      const e = cells.end[r]!;
      if (s === e || (looks && !looks(heap.bytes, s, e))) continue;
      const before = cellText(heap, cells, r);
      const after = change(before);
      if (after === before) continue;
      cells.start[r] = heap.append(after);
      cells.end[r] = heap.length;
      changed[r] = 1;
      n++;
    }
    return n;
  };
}
