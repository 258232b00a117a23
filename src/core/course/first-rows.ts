import { MemorySpill } from "../check/repeats.ts";
import { textOf } from "../kernel/bytes.ts";
import type { References } from "../kernel/reference.ts";
import { VERDICT } from "../kernel/verdict.ts";
import type { Plan } from "../plan/document.ts";
import type { SourceFile, Spool } from "../read/source.ts";
import { compilePlan } from "./compile.ts";
import { Course } from "./course.ts";
import { isSideFile, siftFile } from "./files.ts";

/** Records that a look-up is proposed from. */
const MOST_RECORDS = 5_000;

/**
 * The values by field of a delivery's first records, as they are when lists are asked: neither checks, which may be in
 * the midst of being written, nor look-ups change what a look-up is asked. `day`: what formulas call the day of the load.
 */
export async function firstRows(
  plan: Plan,
  lists: References,
  files: readonly SourceFile[],
  { spool, day }: { readonly spool: Spool; readonly day: string },
): Promise<string[][]> {
  const { lookup: _, ...rest } = plan;
  const course = new Course(compilePlan({ ...rest, check: [] }, lists, { day }), {
    spill: new MemorySpill(),
    expected: MOST_RECORDS,
  });
  const rows: string[][] = [];
  const sources = files.flatMap((file, i) => (isSideFile(plan, file.name) ? [] : [{ file, i }]));
  const parts = { next: 0 };
  for (const [n, { file, i }] of sources.entries()) {
    // Each file has its share, so that the last is heard as well as the first.
    const until = Math.ceil((MOST_RECORDS * (n + 1)) / sources.length);
    reading: for await (const { block, cleansed, heap, verdict } of siftFile(
      course,
      file,
      i,
      plan.read,
      spool,
      parts,
    )) {
      for (let r = 0; r < block.count; r++) {
        if (verdict[r] === VERDICT.leftOut || verdict[r] === VERDICT.unreadable) continue;
        rows.push(cleansed.map(({ start, end }) => textOf(heap.bytes, start[r]!, end[r]!)));
        if (rows.length >= until) break reading;
      }
    }
  }
  return rows;
}
