import { Heap } from "./bytes.ts";
import type { Block } from "./block.ts";
import type { Compiled, Problem } from "./plan/compile.ts";
import { Course, VERDICT, fieldValues, problemsOf } from "./sift.ts";

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
  const heap = new Heap(new Uint8Array(256), 0);
  const n = compiled.fields.length;
  const start = new Int32Array(n);
  const end = new Int32Array(n);
  for (let f = 0; f < n; f++) {
    start[f] = heap.append(values[f] ?? "");
    end[f] = heap.length;
  }
  const block: Block = {
    file: 0,
    first: 0,
    count: 1,
    width: n,
    heap,
    start,
    end,
    plain: new Int32Array(1),
    origin: {
      line: Int32Array.of(1),
      start: Float64Array.of(0),
      end: Float64Array.of(0),
      from: Int32Array.of(0),
      to: Int32Array.of(0),
    },
    unreadable: new Map(),
  };
  const course = new Course(compiled);
  course.openFile(compiled.fields.map((f) => f.name));
  const sifted = course.run(block);
  return {
    values: fieldValues(sifted, 0),
    problems: problemsOf(sifted, compiled, 0),
    passes: sifted.verdict[0] === VERDICT.passes,
    notOfType: sifted.faults.map((f) => f[0] === 1),
  };
}
