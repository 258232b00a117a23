import { targetFields } from "@/core/plan/target-fields.ts";
import { placeOf, type CopyOutlook, type TargetCopy } from "@/core/plan/copies.ts";
import { targetPlans } from "@/core/plan/further.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import type { Queryable } from "@/store/db.ts";
import { setCopies } from "@/store/target-copies.ts";
import { tableOf } from "../writing/target.ts";
import { shapeOf, unquoted } from "./copies.ts";
import {
  canPrepare,
  cannotPrepare,
  connectFar,
  endFar,
  farFault,
  farTable,
  refuseUnfit,
  type CopyShape,
} from "./far.ts";

/** What is seen of copies before anything is written. */

/** Says in the store which copies the targets of a plan are to have, before the first of them is written. */
async function noteCopies(db: Queryable, plan: Plan): Promise<void> {
  const wanted = targetPlans(plan).flatMap((own) =>
    (own.load.copies ?? []).map((c) => {
      const [schema, table] = placeOf(c, own.load.target);
      return { target: tableOf(own), connection: c.connection, schema, table, others: c.others ?? "refuse" };
    }),
  );
  await setCopies(db, plan.feed, wanted);
}

/** Looks at the table of a copy. Throws `copy-unfit`, `copy-away`, `copy-failed`. */
async function lookAt(db: Queryable, own: Plan, copy: TargetCopy): Promise<Pick<CopyOutlook, "how" | "exists">> {
  const { connection } = copy;
  const far = await connectFar(db, connection);
  try {
    const there = await farTable(far, ...placeOf(copy, own.load.target));
    refuseUnfit(connection, there, await shapeToBe(db, own));
    return { how: (await canPrepare(far)) ? "two phases" : "in order", exists: there.columns.size > 0 };
  } catch (error) {
    throw farFault(error, connection, "Looking at a copy");
  } finally {
    await endFar(far);
  }
}

/** A target that is still to be made has the columns of the plan. */
async function shapeToBe(db: Queryable, own: Plan): Promise<CopyShape> {
  const shape = await shapeOf(db, tableOf(own), own.load.key);
  if (shape.columns.length > 0) return shape;
  const plain = { type: "", notNull: false, filled: false, computed: false, labels: null };
  return { ...shape, columns: targetFields(own).map(({ name }) => ({ name, ...plain })) };
}

function copiesOf(plan: Plan): { own: Plan; copy: TargetCopy }[] {
  return targetPlans(plan).flatMap((own) => (own.load.copies ?? []).map((copy) => ({ own, copy })));
}

/** How the copies of a plan's targets would be written, or what stands in the way; writes nothing. */
export async function copyOutlook(db: Queryable, plan: Plan): Promise<CopyOutlook[]> {
  const all: CopyOutlook[] = [];
  for (const { own, copy } of copiesOf(plan)) {
    const place = placeOf(copy, own.load.target).join(".");
    const known = { target: unquoted(tableOf(own)), connection: copy.connection, table: place };
    const found = await lookAt(db, own, copy).then(
      (seen) => ({ ...seen, hindrance: "" }),
      (error: unknown) => {
        if (!(error instanceof SieveError)) throw error;
        return { how: null, exists: false, hindrance: error.message };
      },
    );
    all.push({ ...known, ...found });
  }
  return all;
}

/**
 * Has the store know the copies of a plan's targets, and sees that each could be written, and that statements could run
 * together with the load, before a load reads anything. Throws `copy-unfit`, `copy-away`, `copy-failed`, `cannot-prepare`.
 */
export async function beginCopies(db: Queryable, plan: Plan): Promise<void> {
  for (const action of plan.after ?? []) {
    if (action.do !== "sql" || !action.within) continue;
    const far = await connectFar(db, action.connection);
    try {
      if (!(await canPrepare(far))) throw cannotPrepare(action.connection);
    } finally {
      await endFar(far);
    }
  }
  await noteCopies(db, plan);
  for (const { own, copy } of copiesOf(plan)) await lookAt(db, own, copy);
}
