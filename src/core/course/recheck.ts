import { Heap } from "../kernel/bytes.ts";
import type { Block } from "../kernel/block.ts";
import type { Compiled, Problem } from "./compiled.ts";
import { Course } from "./course.ts";
import { fieldValues, problemsOf } from "./of-record.ts";
import type { Sifted } from "./sifted.ts";
import { NOT_OF_TYPE, VERDICT } from "../kernel/verdict.ts";

/** A record whose cells a person has set, after cleansing and checks. */
export interface Rechecked {
  /** By field; canonical where the cell is sound, else as it stands. */
  values: string[];
  problems: Problem[];
  /** True when no check holds it. Repeats and the target's keys are for the store to say. */
  passes: boolean;
  /** By field: the cell has no value that its type allows. */
  notOfType: boolean[];
}

/**
 * Takes values by field through Cleanse and Check: what a mended record will come to. The same code
 * as a load's, so that what the browser shows is what the server does.
 */
export function recheck(compiled: Compiled, values: readonly string[]): Rechecked {
  const sifted = siftRows(
    compiled,
    compiled.fields.map((f) => f.name),
    [values],
  );
  return {
    values: fieldValues(sifted, 0),
    problems: problemsOf(sifted, compiled, 0),
    passes: sifted.verdict[0] === VERDICT.passes,
    notOfType: sifted.faults.map((f) => f[0] === NOT_OF_TYPE),
  };
}

/**
 * Takes records of text cells, in the order of the columns, through Map, Cleanse and Check. `places`:
 * the file and line of each, where fields are about them.
 */
export function siftRows(
  compiled: Compiled,
  columns: readonly string[],
  rows: readonly (readonly string[])[],
  places?: { readonly files: readonly string[]; readonly lines: readonly number[] },
): Sifted {
  const heap = new Heap(new Uint8Array(256), 0);
  const width = columns.length;
  const count = rows.length;
  const start = new Int32Array(width * count);
  const end = new Int32Array(width * count);
  rows.forEach((row, r) => {
    for (let c = 0; c < width; c++) {
      start[r * width + c] = heap.append(row[c] ?? "");
      end[r * width + c] = heap.length;
    }
  });
  const block: Block = {
    file: 0,
    first: 0,
    count,
    width,
    heap,
    start,
    end,
    plain: new Int32Array(count),
    origin: {
      line: Int32Array.from({ length: count }, (_, r) => places?.lines[r] ?? r + 1),
      start: new Float64Array(count),
      end: new Float64Array(count),
      from: new Int32Array(count),
      to: new Int32Array(count),
    },
    unreadable: new Map(),
  };
  const course = new Course(compiled);
  course.openFile(columns);
  if (places) course.fileOf = (r) => places.files[r]!;
  return course.run(block);
}
