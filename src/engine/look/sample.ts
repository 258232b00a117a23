import { MOST_SAMPLED } from "@/core/kernel/limits.ts";
import { compilePlan } from "@/core/course/compile.ts";
import type { Plan, ReadSection } from "@/core/plan/document.ts";
import { problemParts } from "@/core/kernel/problem.ts";
import { siftFile } from "@/core/course/files.ts";
import { SampleChoice, type Sample } from "@/core/sample/sample.ts";
import { Course } from "@/core/course/course.ts";
import { MemorySpill } from "@/core/check/repeats.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery, storedFile, type OnRead } from "@/store/deliveries.ts";
import { dayOf } from "@/store/loads.ts";
import { listsAtHand } from "@/store/references.ts";
import { fileSpool } from "../threads/spool.ts";

/** Records of a delivery that a sample is chosen from. */
const MOST_READ = 200_000;
/**
 * Chooses records of a delivery that tell most about a plan, by the problems that it finds in them; `following`: the first ones, one after the other.
 * Of a large delivery only the beginning is looked at; of a damaged file what comes before the damage.
 */
export async function sampleDelivery(
  db: Db,
  delivery: number,
  plan: Plan,
  read: ReadSection,
  size: number,
  following = false,
  onRead?: OnRead,
): Promise<Sample> {
  const { files } = await getDelivery(db, delivery);
  const { spool, close } = fileSpool();
  const choice = new SampleChoice(Math.min(size, MOST_SAMPLED), following);
  const course = new Course(compilePlan(plan, await listsAtHand(db, plan), { day: dayOf(new Date()) }), {
    spill: new MemorySpill(),
    expected: MOST_READ,
  });
  const parts = { next: 0 };
  let [seen, whole] = [0, true];
  try {
    for (const [i, file] of files.entries()) {
      try {
        for await (const sifted of siftFile(course, storedFile(db, file, onRead), i, read, spool, parts)) {
          choice.add(sifted, course.columns, course.fileName);
          seen += sifted.block.count;
          if (seen >= MOST_READ) return choice.finish(false);
        }
      } catch (error) {
        if (problemParts(error).code === "failure") throw error;
        whole = false;
      }
    }
    return choice.finish(whole);
  } finally {
    await close();
  }
}
