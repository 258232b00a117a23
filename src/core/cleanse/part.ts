import type { z } from "zod";
import type { NamedFormulas } from "../formula/named.ts";
import type { References } from "../kernel/reference.ts";
import type { Field } from "../field/field.ts";
import { ByteMemo } from "../kernel/memo.ts";
import { cellText, type Cells, type Heap } from "../kernel/bytes.ts";

/**
 * Works on one column of a block: rewrites spans in place, sets `changed[r]` to 1 for each cell it
 * changed and returns how many those were. Empty cells are left alone.
 */
export type Apply = (heap: Heap, cells: Cells, count: number, changed: Uint8Array) => number;

/** A block on its course, for steps that look at whole records. */
export interface RecordCourse {
  readonly heap: Heap;
  readonly count: number;
  readonly fields: readonly Field[];
  readonly cells: readonly Cells[];
  /** Of a field: to be set to 1 for each cell that is changed. */
  changed(field: number): Uint8Array;
  /** The record can't be read, or was left out before. */
  skip(record: number): boolean;
  leaveOut(record: number): void;
  /** The record is the first of its file. */
  begins(record: number): boolean;
  /**
   * What the step carries from one record to the next, by a name of its own, from block to block of a
   * file; "" at its beginning. The ledger keeps it with each block, so that any can be run again.
   */
  carried(name: string): string;
  carry(name: string, value: string): void;
  /** Tells what was found out about the file, for the report. */
  tell(name: string, words: string): void;
}

/** Works on the records of a block; returns how many cells it changed, or records it left out. */
export type RecordApply = (course: RecordCourse) => number;

export interface RecordScope {
  readonly fields: readonly Field[];
  /** Numbers of the fields that the step works on. */
  readonly targets: readonly number[];
  /** Formulas that can be used by their names. */
  readonly named?: NamedFormulas | undefined;
  /** Reference lists that formulas ask. */
  readonly lists?: References | undefined;
  /** The day of the load, as ISO 8601. */
  readonly day?: string | undefined;
}

/** A cleansing step: one file each, from which the plan's schema, the editor and the docs come. */
export interface StepPart<Options extends object> {
  readonly id: string;
  readonly title: string;
  /** One sentence for the person who chooses it. */
  readonly about: string;
  readonly options: z.ZodRawShape;
  /** Harmless in any field, so that an editor begins it in all of them. */
  readonly everywhere?: boolean;
  /** It looks at the records before, so that a sample of it must be of records that follow one another. */
  readonly follows?: (options: Options) => boolean;
  /** It may write a date or time as ISO 8601 has it, whatever formats the field has. */
  readonly writesDates?: boolean;
  /** It leaves records out, and changes no field, whichever it is given. */
  readonly leavesOut?: boolean;
  /** Its formulas are of the record, and true or false: there is no cell that they are about. */
  readonly ofRecord?: boolean;
  /** It fills its fields from others, so that they need no column. */
  readonly makes?: boolean;
  /** Options that name a field, or several; and options that are formulas. */
  readonly fieldOptions?: readonly string[];
  readonly formulaOptions?: readonly string[];
  apply(options: Options): Apply;
  /** Instead of `apply`, for a step that needs the whole record; null where these options need a cell alone. Throws `formula-invalid`. */
  record?(options: Options, scope: RecordScope): RecordApply | null;
  /** A step of a plan in words: “trim the ends”. */
  words(options: Options): string;
  /** Run as tests. */
  readonly examples: readonly { options: Options; from: string; to: string }[];
  /** The same for whole records of the text fields a and b; null for one that is left out. */
  readonly records?: readonly {
    in: "*" | string[];
    options: Options;
    from: Record<string, string>;
    to: Record<string, string> | null;
  }[];
}

/**
 * A step from a function of one cell's text, which must give the same for the same text; `looks` may
 * pass over cells that it can't change.
 */
export function byText(
  change: (text: string) => string,
  looks?: (bytes: Uint8Array, start: number, end: number) => boolean,
): Apply {
  /** By value: what it becomes; null for one that stays. */
  const memo = new ByteMemo<string | null>();
  return (heap, cells, count, changed) => {
    let n = 0;
    for (let r = 0; r < count; r++) {
      const s = cells.start[r]!;
      const e = cells.end[r]!;
      if (s === e || (looks && !looks(heap.bytes, s, e))) continue;
      const place = memo.place(heap.bytes, s, e);
      let after: string | null;
      if (place >= 0 && memo.has(place, heap.bytes, s, e)) after = memo.get(place);
      else {
        const before = cellText(heap, cells, r);
        after = change(before);
        if (after === before) after = null;
        if (place >= 0) memo.put(place, heap.bytes, s, e, after);
      }
      if (after === null) continue;
      cells.start[r] = heap.append(after);
      cells.end[r] = heap.length;
      changed[r] = 1;
      n++;
    }
    return n;
  };
}

/** Gives a cell of the block another value; 1 when it had a different one. */
export function setCell(course: RecordCourse, field: number, record: number, value: string): 0 | 1 {
  const { start, end } = course.cells[field]!;
  if (value === cellText(course.heap, course.cells[field]!, record)) return 0;
  start[record] = course.heap.append(value);
  end[record] = course.heap.length;
  course.changed(field)[record] = 1;
  return 1;
}
