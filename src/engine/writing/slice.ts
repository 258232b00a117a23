import { sliceOf, type ReplacedRows } from "@/core/plan/slice.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Partition } from "@/core/write/files/partition.ts";
import { byHash, ident, literal, type Client, type Queryable } from "@/store/db.ts";
import { columnsByName, staged, tableOf } from "./target.ts";

/** The slices that came with a delivery. */
const CAME = "slices_now";

/** The slice of a row, in SQL: `value` gives each field's. */
function sliceSql(parts: readonly Partition[], value: (field: string) => string): string[] {
  return parts.map(({ field, by }) => (by === undefined ? value(field) : `date_trunc('${by}', ${value(field)})`));
}

/** That two rows are of one slice. */
export function sameSlice(plan: Plan, a: (field: string) => string, b: (field: string) => string): string {
  const parts = sliceOf(plan);
  const [x, y] = [sliceSql(parts, a), sliceSql(parts, b)];
  return x.map((value, i) => `${value} is not distinct from ${y[i]!}`).join(" and ");
}

/**
 * Notes which slices the records have that are staged now, and gives how many. To be called anew whenever records have
 * been taken out of staging: a slice of which none is left is not replaced.
 */
export async function noteSlices(client: Client, plan: Plan, staging: string): Promise<number> {
  const have = await columnsByName(client, tableOf(plan));
  const values = sliceSql(sliceOf(plan), (field) => staged(field, have.get(field)));
  await client.query(`drop table if exists ${CAME}`);
  const { rowCount } = await client.query(
    `create temp table ${CAME} on commit drop as select distinct ${values.map((v, i) => `${v} as part_${i}`).join(", ")} from ${staging} s`,
  );
  await client.query(`analyze ${CAME}`);
  return rowCount ?? 0;
}

/**
 * That a row `t` of the target is of a slice that came, and was written by a load of the feed. To be asked after
 * `noteSlices`.
 */
export async function inSlices(client: Queryable, plan: Plan): Promise<string> {
  // A table of others that no load has written yet.
  if (!(await columnsByName(client, tableOf(plan))).has("_load")) return "false";
  const own = sliceSql(sliceOf(plan), (field) => `t.${ident(field)}`);
  return `(t."_load" in (select id from sieve.load where feed = ${literal(plan.feed)})
    and exists (select from ${CAME} w where ${own.map((v, i) => `w.part_${i} is not distinct from ${v}`).join(" and ")}))`;
}

/** How many rows of a target that is replaced make room for those that come. To be asked after `noteSlices`. */
export async function countReplaced(client: Client, plan: Plan, slices: number | null): Promise<ReplacedRows> {
  const where = slices === null ? "" : ` where ${await inSlices(client, plan)}`;
  const { rows } = await byHash(client, () =>
    client.query<{ rows: number }>(`select count(*)::int as rows from ${tableOf(plan)} t${where}`),
  );
  return { rows: rows[0]!.rows, slices };
}
