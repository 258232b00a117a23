import { MemorySpill } from "@/core/check/repeats.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { Course } from "@/core/course/course.ts";
import { siftFile } from "@/core/course/files.ts";
import { textOf } from "@/core/kernel/bytes.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery, storedFile, type OnRead } from "@/store/deliveries.ts";
import { dayOf } from "@/store/loads.ts";
import { listsAtHand } from "@/store/references.ts";
import { fileSpool } from "../threads/spool.ts";

/** Different values of a field that are given at once, and records that are looked at. */
const MOST_VALUES = 20_000;
const MOST_RECORDS = 1_000_000;

/** Values with their counts, the most frequent first; `all`: whether these are all that there are. */
export interface FieldValues {
  readonly values: readonly { readonly value: string; readonly count: number }[];
  readonly all: boolean;
}

/**
 * The different values of a field in a delivery, as they stand after so many of a plan's steps: before anything of it
 * has been loaded. None where the plan has no such field.
 */
export async function deliveryValues(
  db: Db,
  delivery: number,
  plan: Plan,
  field: string,
  steps: number,
  onRead?: OnRead,
): Promise<FieldValues> {
  const f = plan.contract.fields.findIndex((x) => x.name === field);
  if (f < 0) return { values: [], all: true };
  // Checks may be in the midst of being written; what steps make of a value does not hang on them.
  const until: Plan = { ...plan, check: [], cleanse: plan.cleanse.slice(0, steps) };
  const compiled = compilePlan(until, await listsAtHand(db, plan), { day: dayOf(new Date()) });
  const course = new Course(compiled, { spill: new MemorySpill(), expected: MOST_RECORDS });
  const { files } = await getDelivery(db, delivery);
  const { spool, close } = fileSpool();
  const counts = new Map<string, number>();
  let [seen, all] = [0, true];
  try {
    const parts = { next: 0 };
    reading: for (const [i, file] of files.entries()) {
      for await (const sifted of siftFile(course, storedFile(db, file, onRead), i, plan.read, spool, parts)) {
        const { start, end } = sifted.cleansed[f]!;
        for (let r = 0; r < sifted.block.count; r++) {
          const verdict = sifted.verdict[r];
          if (start[r] === end[r] || verdict === VERDICT.leftOut || verdict === VERDICT.unreadable) continue;
          const value = textOf(sifted.heap.bytes, start[r]!, end[r]!);
          const known = counts.get(value);
          if (known !== undefined || counts.size < MOST_VALUES) counts.set(value, (known ?? 0) + 1);
          else all = false;
        }
        if ((seen += sifted.block.count) >= MOST_RECORDS) {
          all = false;
          break reading;
        }
      }
    }
  } finally {
    await close();
  }
  const values = [...counts].map(([value, count]) => ({ value, count }));
  return { values: values.sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1)), all };
}
