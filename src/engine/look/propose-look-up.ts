import { firstRows } from "@/core/course/first-rows.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import type { LookUp } from "@/core/lookup/schema.ts";
import { proposedFor, type ProposedLookUp } from "@/core/map/propose-look-up.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery, storedFile, type OnRead } from "@/store/deliveries.ts";
import { dayOf } from "@/store/loads.ts";
import { listsAtHand, readReference } from "@/store/references.ts";
import { deliveryLists } from "../load/delivery-lists.ts";
import { fileSpool } from "../threads/spool.ts";

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
  const asking = { ...plan, lookup: [...(plan.lookup ?? []), lookUp] };
  const { files } = await getDelivery(db, delivery);
  const { spool, close } = fileSpool();
  try {
    const sources = files.map((file) => storedFile(db, file, onRead));
    const rows = await firstRows(asking, await listsAtHand(db, asking), sources, { spool, day: dayOf(new Date()) });
    return proposedFor({ fields: plan.contract.fields, rows }, lookUp, list);
  } finally {
    await close();
  }
}
