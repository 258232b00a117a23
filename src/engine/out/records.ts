import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/plan/types.ts";
import { Course } from "@/core/course/course.ts";
import { fieldValues } from "@/core/course/of-record.ts";
import { BYTE } from "@/core/kernel/ledger.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { PERIOD_LENGTHS, type Partition } from "@/core/write/files/partition.ts";
import { ident, pagesOf, transaction, wasEnded, type Db } from "@/store/db.ts";
import { getDelivery } from "@/store/deliveries.ts";
import { ledgerBlocks } from "@/store/ledger.ts";
import { getLoad } from "@/store/loads.ts";
import { compiledOfLoad, rerunBlock } from "../load/rerun.ts";
import type { TableColumn } from "@/core/interop/table.ts";
import { tableOf, targetColumns } from "../writing/target.ts";

/** Rows of a page. */
const ROWS = 2_000;
/** How long rows are counted before they go out, in milliseconds. */
const COUNT_MS = 3_000;

/** A page of records: their canonical values by field. */
export type Page = readonly (readonly string[])[];

/** The value of a target's column as the contract's type writes it, in SQL; "" where there is none. */
function canonicalSql(field: Field, column: TableColumn | undefined): string {
  if (!column) return "''";
  const own = `t.${ident(field.name)}`;
  if (column.type.endsWith("[]")) {
    // As a list is kept, each element within quotes.
    const quoted = `'"' || replace(replace(x::text, '\\', '\\\\'), '"', '\\"') || '"'`;
    return `coalesce((select '{' || string_agg(${quoted}, ',' order by n) || '}' from unnest(${own}) with ordinality as e (x, n) where x is not null), case when ${own} is null then '' else '{}' end)`;
  }
  if (column.type === "timestamp without time zone") return `coalesce((${own} at time zone 'UTC')::text, '')`;
  return `coalesce(${own}::text, '')`;
}

/** Rows of a target as they are at one moment, those of one folder one after the other; of a load, those that it wrote last. */
export async function* rowsOfTarget(
  db: Db,
  plan: Plan,
  { partitions, load }: { partitions: readonly Partition[]; load?: number | undefined },
): AsyncGenerator<Page> {
  const pages = pagesOf<{ v: string[] }>(db, ROWS, async (client) => {
    await client.query("set local timezone = 'UTC'; set local datestyle = 'ISO'; set local extra_float_digits = 1");
    const table = tableOf(plan);
    const columns = new Map((await targetColumns(client, table)).map((c) => [c.name, c]));
    if (columns.size === 0) throw noTarget(plan);
    const values = plan.contract.fields.map((f) => canonicalSql(f, columns.get(f.name)));
    const order = [...partitions.map((p) => p.field), ...plan.load.key, "_load", "_record"]
      .filter((name) => columns.has(name))
      .map((name) => `t.${ident(name)}`);
    return {
      sql: `select array[${values.join(", ")}] as v from ${table} t
        ${load === undefined ? "" : `where t."_load" = ${load}`} ${order.length === 0 ? "" : `order by ${order.join(", ")}`}`,
    };
  });
  for await (const rows of pages) yield rows.map((r) => r.v);
}

/** How many rows would go out, and into how many folders; null where counting takes too long. */
export async function countRows(
  db: Db,
  plan: Plan,
  { partitions, load }: { partitions: readonly Partition[]; load?: number | undefined },
): Promise<{ rows: number; folders: number } | null> {
  const table = tableOf(plan);
  return await transaction(db, async (client) => {
    const columns = new Set((await targetColumns(client, table)).map((c) => c.name));
    if (columns.size === 0) throw noTarget(plan);
    await client.query(`set local timezone = 'UTC'; set local statement_timeout = ${COUNT_MS}`);
    const part = ({ field, by }: Partition): string =>
      columns.has(field) ? `left(t.${ident(field)}::text, ${by ? PERIOD_LENGTHS[by] : 1000})` : "null";
    const folders = partitions.length === 0 ? "0" : `count(distinct array[${partitions.map(part).join(", ")}]::text[])`;
    const { rows } = await client.query<{ rows: number; folders: number }>(
      `select count(*)::int as rows, ${folders}::int as folders from ${table} t
       ${load === undefined ? "" : `where t."_load" = ${load}`}`,
    );
    return rows[0]!;
  }).catch((error: unknown) => {
    if (wasEnded(error)) return null;
    throw error;
  });
}

const noTarget = (plan: Plan): SieveError =>
  new SieveError("no-target", `The table ${plan.load.target} is not there yet.`, {
    hint: "It is made by the first load.",
  });

/** The records that a load accepted, as it made them, computed again from its files: inserted, updated or unchanged. */
export async function* acceptedOf(db: Db, load: number): AsyncGenerator<Page> {
  const { delivery, plan, report, state } = await getLoad(db, load);
  if (!report) {
    throw new SieveError("wrong-state", `Load ${load} is ${state}, so it has not accepted anything yet.`, {
      hint: "Wait until it has ended.",
    });
  }
  const compiled = await compiledOfLoad(db, load, plan);
  const { files } = await getDelivery(db, delivery);
  const rerun = { compiled, files, facts: report.files };
  const course = new Course(compiled);
  const accepted: ReadonlySet<number> = new Set([BYTE.inserted, BYTE.updated, BYTE.unchanged]);
  for await (const block of ledgerBlocks(db, load)) {
    const which = [...block.outcomes.keys()].filter((r) => accepted.has(block.outcomes[r]!));
    if (which.length === 0) continue;
    const sifted = await rerunBlock(db, rerun, course, block);
    for (let at = 0; at < which.length; at += ROWS) yield which.slice(at, at + ROWS).map((r) => fieldValues(sifted, r));
  }
}
