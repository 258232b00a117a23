import { readCheck, fieldsNamed } from "@/core/check/identity.ts";
import { LEAST_ROWS, isKnown, knownBy, type KnownCounts, type KnownValue } from "@/core/mend/known.ts";
import { mendedValues } from "@/core/mend/values.ts";
import type { Plan } from "@/core/plan/document.ts";
import { ident, wasEnded, type Db } from "@/store/db.ts";
import type { HeldRecord } from "@/store/held.ts";
import { columnsByName, tableOf } from "../writing/target.ts";

/** Rows of the target that are looked at, in the order in which they lie there. */
const ROWS = 100_000;
/** How long the database may take for all of it: what is not known by then is not known. */
const PATIENCE_MS = 1000;

/**
 * What the first rows of a plan's target say of the field that held records have wrong: its value where another field of
 * theirs has only one, so often that chance would not do it. Nothing where there is no such field or no target.
 */
export async function knownFromTarget(
  db: Db,
  plan: Plan,
  check: string,
  records: readonly HeldRecord[],
): Promise<KnownValue[]> {
  const [name] = fieldsNamed(readCheck(check));
  if (name === undefined || plan.load.key.includes(name)) return [];
  const { fields } = plan.contract;
  const client = await db.connect();
  try {
    await client.query("begin read only");
    await client.query(`set local statement_timeout = ${PATIENCE_MS}`);
    const table = tableOf(plan);
    const columns = await columnsByName(client, table);
    if (!columns.has(name)) return [];
    const found: KnownValue[] = [];
    const mended = records.map((r) => mendedValues(r, {}, { fields }));
    for (const by of knownBy(plan, name)) {
      if (!columns.has(by.name)) continue;
      const place = fields.indexOf(by);
      const values = new Set(mended.map((values) => values[place]!));
      values.delete("");
      if (values.size === 0) continue;
      const { rows } = await client.query<KnownCounts>(
        `with looked_at as (
           select ${ident(by.name)}::text as value, ${ident(name)}::text as gives
           from ${table} where ${ident(by.name)} is not null limit ${ROWS}
         ), of_all as (
           select gives, count(*)::float8 / sum(count(*)) over () as share from looked_at group by 1
         ), of_value as (
           select value, min(gives) as gives, count(*)::int as rows,
             bool_and(gives is not null) and count(distinct gives) = 1 as one
           from looked_at group by 1 having count(*) >= ${LEAST_ROWS}
         )
         select v.value, v.gives, v.rows, a.share,
           (select count(*) filter (where one)::float8 / count(*) from of_value) as determined
         from of_value v join of_all a using (gives) where v.one and v.value = any($1)`,
        [[...values]],
      );
      for (const row of rows) {
        if (isKnown(row)) found.push({ by: by.name, value: row.value, gives: row.gives, rows: row.rows });
      }
    }
    return found;
  } catch (error) {
    // Too many rows to look at, or a table that may be written and not read (SQLSTATE 42501).
    if (wasEnded(error) || (error as { code?: unknown }).code === "42501") return [];
    throw error;
  } finally {
    await client.query("rollback").catch(() => {});
    client.release();
  }
}
