import { MemorySpill } from "@/core/check/repeats.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { Course } from "@/core/course/course.ts";
import { isSideFile, siftFile } from "@/core/course/files.ts";
import { textOf } from "@/core/kernel/bytes.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import type { LookUpLimits } from "@/core/lookup/limits.ts";
import type { LookUp } from "@/core/lookup/schema.ts";
import { proposeLimits, proposeLookUp, type LookUpProposal } from "@/core/map/propose-look-up.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery, storedFile, type OnRead } from "@/store/deliveries.ts";
import { dayOf } from "@/store/loads.ts";
import { listsAtHand, readReference } from "@/store/references.ts";
import { deliveryLists } from "../load/delivery-lists.ts";
import { fileSpool } from "../threads/spool.ts";

/** Records that a proposal is made from. */
const MOST_RECORDS = 5_000;

/** What is proposed for a look-up, and what its limits would be if it is by score. */
export interface ProposedLookUp extends LookUpProposal {
  readonly limits: LookUpLimits | null;
  /** Records that it was found out from. */
  readonly records: number;
}

/** The values by field of a delivery's first records, as they are when lists are asked. */
async function askingRows(db: Db, delivery: number, plan: Plan, onRead?: OnRead): Promise<string[][]> {
  // Neither checks, which may be in the midst of being written, nor look-ups change what a look-up is asked.
  const { lookup: _, ...rest } = plan;
  const compiled = compilePlan({ ...rest, check: [] }, await listsAtHand(db, plan), { day: dayOf(new Date()) });
  const course = new Course(compiled, { spill: new MemorySpill(), expected: MOST_RECORDS });
  const { files } = await getDelivery(db, delivery);
  const { spool, close } = fileSpool();
  const rows: string[][] = [];
  const sources = files.flatMap((file, i) => (isSideFile(plan, file.name) ? [] : [{ file, i }]));
  try {
    const parts = { next: 0 };
    for (const [n, { file, i }] of sources.entries()) {
      // Each file has its share, so that the last is heard as well as the first.
      const until = Math.ceil((MOST_RECORDS * (n + 1)) / sources.length);
      reading: for await (const { block, cleansed, heap, verdict } of siftFile(
        course,
        storedFile(db, file, onRead),
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
  } finally {
    await close();
  }
  return rows;
}

/** The list of a look-up: a file of the delivery, or one that is kept. Throws `list-missing`. */
async function listOf(db: Db, delivery: number, plan: Plan, lookUp: LookUp): Promise<Reference> {
  if (lookUp.file === undefined) return readReference(db, lookUp.list);
  const list = (await deliveryLists(db, delivery, { ...plan, lookup: [lookUp] })).get(lookUp.list);
  if (list) return list;
  throw new SieveError("list-missing", `The delivery has no file for the look-up ${lookUp.name}.`);
}

/** How a delivery's records would find their entries in the list of a look-up: its key, with its evidence, and limits of likeness. */
export async function proposedLookUp(
  db: Db,
  delivery: number,
  plan: Plan,
  lookUp: LookUp,
  onRead?: OnRead,
): Promise<ProposedLookUp> {
  const list = await listOf(db, delivery, plan, lookUp);
  const rows = await askingRows(db, delivery, { ...plan, lookup: [lookUp] }, onRead);
  const records = { fields: plan.contract.fields, rows };
  const proposal = proposeLookUp(records, list);
  const pairs = proposal.by.map(({ field, column }) => ({ field, column, compare: "words" as const }));
  // Also where it is by key, and some of the values are not in the list as they stand.
  const byScore = proposal.how === "scored" || proposal.by.some((p) => p.found < p.different);
  const scored: LookUp | null =
    lookUp.how === "scored" ? lookUp : byScore ? { ...lookUp, how: "scored", by: pairs } : null;
  return {
    ...proposal,
    records: rows.length,
    limits: scored?.how === "scored" ? proposeLimits(records, scored, list) : null,
  };
}
