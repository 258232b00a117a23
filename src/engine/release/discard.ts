import { mendedValues } from "@/core/mend/values.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { recheck } from "@/core/course/recheck.ts";
import { dayOf } from "@/store/loads.ts";
import { ident, type Db, type Queryable } from "@/store/db.ts";
import { referencesOf } from "@/store/references.ts";
import { planInForce } from "@/store/feeds.ts";
import { getHeld } from "@/store/held.ts";
import { tableOf, targetColumns } from "../writing/target.ts";
import { WRITING } from "../writing/writing.ts";
import type { Mend, Overtaken } from "./released.ts";

/** The row of the target that has a held record's key by now; null where none has, or the plan has no key. */
export async function rowInTarget(db: Queryable, load: number, record: number): Promise<Overtaken | null> {
  const held = await getHeld(db, load, record);
  const version = await planInForce(db, held.feed);
  const { plan, fields } = compilePlan(version.document);
  if (plan.load.key.length === 0) return null;
  const compiled = compilePlan(plan, await referencesOf(db, plan), { day: dayOf(new Date()) });
  const { values, notOfType } = recheck(compiled, mendedValues(held, {}, compiled));
  const key = plan.load.key.map((name) => fields.findIndex((f) => f.name === name));
  if (key.some((f) => values[f] === "" || notOfType[f])) return null;
  const have = new Set((await targetColumns(db, tableOf(plan))).map((c) => c.name));
  const shown = fields.map((f) => f.name).filter((n) => have.has(n));
  if (!have.has(WRITING) || plan.load.key.some((k) => !have.has(k))) return null;
  const { rows } = await db.query<{ by: number | null; now: (string | null)[] }>(
    `select t.${ident(WRITING)} as by, array[${shown.map((n) => `t.${ident(n)}::text`).join(", ")}] as now from ${tableOf(plan)} t
     where ${key.map((f, i) => `t.${ident(fields[f]!.name)} = $${i + 1}`).join(" and ")} limit 1`,
    key.map((f) => values[f]),
  );
  const row = rows[0];
  return row ? { by: row.by, now: Object.fromEntries(shown.map((n, i) => [n, row.now[i]!])) } : null;
}

/** Ends held records with a reason: they stay in the ledger as held, and will not be loaded. */
export async function discardRecords(db: Db, which: readonly Mend[], reason: string, by: string): Promise<number> {
  if (reason.trim() === "") {
    throw new SieveError("reason-missing", "A reason is needed to discard records.", {
      hint: "Say in a few words why, for whoever asks later.",
    });
  }
  const { rowCount } = await db.query(
    `update sieve.held h set state = 'discarded', reason = $3, ended_by = $4, ended_at = now()
     from unnest($1::int[], $2::int[]) x (load, record)
     where h.load = x.load and h.record = x.record and h.state in ('held', 'overtaken')`,
    [which.map((w) => w.load), which.map((w) => w.record), reason.trim(), by],
  );
  return rowCount ?? 0;
}

/** Puts discarded records back into the quarantine. */
export async function takeBack(db: Queryable, which: readonly Mend[]): Promise<number> {
  const { rowCount } = await db.query(
    `update sieve.held h set state = 'held', reason = '', ended_by = '', ended_at = null
     from unnest($1::int[], $2::int[]) x (load, record)
     where h.load = x.load and h.record = x.record and h.state = 'discarded'`,
    [which.map((w) => w.load), which.map((w) => w.record)],
  );
  return rowCount ?? 0;
}
