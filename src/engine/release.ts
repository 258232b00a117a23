import { extraOf, mapColumns } from "@/core/map/columns.ts";
import { compilePlan, type Compiled, type Problem } from "@/core/plan/compile.ts";
import { SieveError, quoted } from "@/core/problem.ts";
import { recheck } from "@/core/recheck.ts";
import { ident, transaction, type Client, type Db, type Queryable } from "@/store/db.ts";
import { referencesOf } from "@/store/references.ts";
import { planInForce, type PlanVersion } from "@/store/feeds.ts";
import { getHeld, type HeldRecord } from "@/store/held.ts";
import { getLoad } from "@/store/loads.ts";
import { deliveryLists } from "./delivery-lists.ts";
import { apartInTarget } from "./between-load.ts";
import { ruleProblem } from "./late.ts";
import { recordColumns, tableOf, targetChanges } from "./target.ts";

/** A record of the quarantine, and the values that a person gives it, by field. */
export interface Mend {
  load: number;
  record: number;
  values?: Record<string, string> | undefined;
}

export interface Released {
  load: number;
  record: number;
  released: boolean;
  /** Why it stays, when it does. */
  problems: Problem[];
}

/** Most records of one call. */
export const MOST_AT_ONCE = 5000;

/**
 * Checks held records again by the plan in force, with the values that a person gave them, and
 * writes those that pass to the target, all in one transaction. Those that do not pass stay, with
 * what is still wrong; what a person typed is kept with them.
 */
export async function releaseRecords(db: Db, mends: readonly Mend[], by: string): Promise<Released[]> {
  if (mends.length > MOST_AT_ONCE) {
    throw new SieveError("too-many", `At most ${MOST_AT_ONCE} records can be released at once.`);
  }
  return await transaction(db, async (client) => {
    const results: Released[] = [];
    /** By feed, and by load where a list is a file of the load's delivery. */
    const plans = new Map<string, { version: PlanVersion; compiled: Compiled }>();
    // In a fixed order, so that two people who release at once can't wait for each other.
    for (const mend of [...mends].sort((a, b) => a.load - b.load || a.record - b.record)) {
      await client.query("select 1 from sieve.held where load = $1 and record = $2 for update", [
        mend.load,
        mend.record,
      ]);
      const held = await getHeld(client, mend.load, mend.record);
      if (held.state !== "held") {
        throw new SieveError("wrong-state", `Record ${mend.record} of load ${mend.load} is ${held.state} already.`, {
          hint: "Look at the quarantine again.",
        });
      }
      let plan = plans.get(held.feed) ?? plans.get(`${held.feed} ${held.load}`);
      if (!plan) {
        const version = await planInForce(client, held.feed);
        const { delivery } = await getLoad(client, held.load);
        const own = await deliveryLists(client, delivery, version.document);
        const lists = new Map([...(await referencesOf(client, version.document)), ...own]);
        plan = { version, compiled: compilePlan(version.document, lists) };
        for (const change of await targetChanges(client, version.document)) await client.query(change);
        plans.set(own.size === 0 ? held.feed : `${held.feed} ${held.load}`, plan);
      }
      results.push(await releaseOne(client, held, mend.values ?? {}, plan.compiled, by));
    }
    return results;
  });
}

/** The values to check again: as cleansed when the record was held, with what a person has set since. */
export function mendedValues(
  held: Pick<HeldRecord, "fields" | "values" | "mended">,
  values: Record<string, string>,
  compiled: Compiled,
): string[] {
  return compiled.fields.map((f) => {
    const at = held.fields.indexOf(f.name);
    return values[f.name] ?? held.mended?.[f.name] ?? held.values[at] ?? "";
  });
}

async function releaseOne(
  client: Client,
  held: HeldRecord,
  values: Record<string, string>,
  compiled: Compiled,
  by: string,
): Promise<Released> {
  const checked = recheck(compiled, mendedValues(held, values, compiled));
  const problems = checked.passes
    ? [
        ...(await repeatsInTarget(client, held, compiled, checked.values)),
        ...(await apartInTarget(client, held.load, compiled, checked.values)),
      ]
    : checked.problems;
  const mended = { ...held.mended, ...values };
  const given = Object.keys(mended).length > 0 ? JSON.stringify(mended) : null;
  const id = { load: held.load, record: held.record };
  if (problems.some((p) => p.onFailure !== "note")) {
    await client.query("update sieve.held set mended = $3 where load = $1 and record = $2", [
      held.load,
      held.record,
      given,
    ]);
    return { ...id, released: false, problems };
  }
  const refused = await writeRecord(client, held, compiled, [
    ...checked.values.map((v, f) => (v === "" || checked.notOfType[f] ? null : v)),
    ...extraOfHeld(held, compiled),
  ]);
  if (refused) {
    await client.query("update sieve.held set mended = $3 where load = $1 and record = $2", [
      held.load,
      held.record,
      given,
    ]);
    return { ...id, released: false, problems: [refused] };
  }
  await client.query(
    `update sieve.held set state = 'released', mended = $3, ended_by = $4, ended_at = now() where load = $1 and record = $2`,
    [held.load, held.record, given, by],
  );
  return { ...id, released: true, problems: [] };
}

/** What the plan keeps of a held record's columns that no field takes: one value, or none where it keeps nothing. */
function extraOfHeld(held: HeldRecord, compiled: Compiled): (string | null)[] {
  if (compiled.plan.map.extra !== "keep") return [];
  const { extra } = mapColumns(held.columns, compiled.fields);
  return [extraOf(held.columns, held.cells ?? [], extra) || null];
}

/** Writes one record to the target, its values in the order of `recordColumns`; gives the problem when a rule of the target refuses it. */
export async function writeRecord(
  client: Client,
  held: { readonly load: number; readonly record: number },
  compiled: Compiled,
  row: (string | null)[],
): Promise<Problem | null> {
  const { plan } = compiled;
  const names = [...recordColumns(plan), "_load", "_record"];
  const key = plan.load.key;
  const upsert =
    plan.load.mode === "upsert"
      ? ` on conflict (${key.map((k) => ident(k)).join(", ")}) do update set ${names
          .filter((n) => !key.includes(n))
          .map((n) => `${ident(n)} = excluded.${ident(n)}`)
          .join(", ")}`
      : "";
  await client.query("savepoint before_write");
  try {
    await client.query(
      `insert into ${tableOf(plan)} (${names.map((n) => ident(n)).join(", ")})
     values (${names.map((_, i) => `$${i + 1}`).join(", ")})${upsert}`,
      [...row, held.load, held.record],
    );
    await client.query("release savepoint before_write");
    return null;
  } catch (error) {
    const { code, constraint, detail } = error as { code?: string; constraint?: string; detail?: string };
    // Class 23 of SQL's states: a constraint of the table.
    if (!code?.startsWith("23")) throw error;
    await client.query("rollback to savepoint before_write");
    return ruleProblem(`target:${constraint ?? "not null"}`, { columns: [], definition: detail ?? "" }, []);
  }
}

/** Whether the target already has the record's key, or this load has put the same unique value there. */
async function repeatsInTarget(
  client: Client,
  held: HeldRecord,
  compiled: Compiled,
  values: readonly string[],
): Promise<Problem[]> {
  const { plan, fields } = compiled;
  const target = tableOf(plan);
  const problems: Problem[] = [];
  const keyName = `${plan.load.key.join("+")}:unique`;
  for (const index of compiled.uniques) {
    const check = compiled.checks[index]!;
    const isKey = check.key === keyName;
    if (isKey && plan.load.mode === "upsert") continue;
    const own = check.fields.map((f) => values[f]!);
    if (own.some((v) => v === "")) continue;
    const where = check.fields.map((f, i) => `${ident(fields[f]!.name)} = $${i + 2}`).join(" and ");
    const { rows } = await client.query<{ load: number }>(
      `select _load as load from ${target} where ($1::int is null or _load = $1) and ${where} limit 1`,
      [isKey ? null : held.load, ...own],
    );
    if (!rows[0]) continue;
    const names = check.fields.map((f) => fields[f]!.name).join(" and ");
    problems.push({
      check: check.key,
      field: fields[check.fields[0]!]!.name,
      value: own.join(", "),
      message: `${names} ${own.map((v) => quoted(v)).join(" and ")} is in the target already, from load ${rows[0].load}.`,
      expected: "a value that the target does not have yet",
      onFailure: check.onFailure,
    });
  }
  return problems;
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
     where h.load = x.load and h.record = x.record and h.state = 'held'`,
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
