import { targetFields } from "@/core/plan/target-fields.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/field/field.ts";
import { fieldValues } from "@/core/course/of-record.ts";
import { BYTE, outcomeOf } from "@/core/kernel/ledger.ts";
import { fieldsOut, type Contents } from "@/core/write/files/contents.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { PERIOD_LENGTHS, type Partition } from "@/core/write/files/partition.ts";
import { ident, pagesOf, transaction, wasEnded, type Db } from "@/store/db.ts";
import { getLoad, type Load } from "@/store/loads.ts";
import { blocksAgain } from "../load/again.ts";
import { problemsOfBlock } from "../load/rerun.ts";
import { heldViewSql } from "../writing/held-view.ts";
import type { TableColumn } from "@/core/interop/table.ts";
import { tableOf, targetColumns } from "../writing/target.ts";

/** Rows of a page. */
export const ROWS = 2_000;
/** How long rows are counted before they go out, in milliseconds. */
const COUNT_MS = 3_000;

/** A page of records: their canonical values by field. */
export type Page = readonly (readonly string[])[];

/** The value of a target's column as the contract's type writes it, in SQL; "" where there is none. */
export function canonicalSql(field: Field, column: Pick<TableColumn, "type"> | undefined): string {
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
    const values = targetFields(plan).map((f) => canonicalSql(f, columns.get(f.name)));
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

/** How much would go out, and into how many folders. */
export interface CountedOut {
  readonly rows: number;
  /** Null where that is not known before it is written. */
  readonly folders: number | null;
}

/** Throws `no-load` for a load of another feed. */
export function needOfFeed({ id, feed: of }: Pick<Load, "id" | "feed">, feed: string): void {
  if (of === feed) return;
  throw new SieveError("no-load", `Load ${id} is none of ${feed}.`, { hint: "Look at the feed's loads." });
}

/** How many records of a load go out, by its balance. Throws `no-load`. */
export async function countOfLoad(db: Db, feed: string, id: number, what: Contents): Promise<CountedOut> {
  const load = await getLoad(db, id);
  needOfFeed(load, feed);
  const { report } = load;
  const { inserted = 0, updated = 0, unchanged = 0 } = report?.balance.outcomes ?? {};
  const accepted = inserted + updated + (what === "changed" ? 0 : unchanged);
  return { rows: what === "records" ? (report?.balance.read ?? 0) : accepted, folders: null };
}

/** How many rows of the target, or held records, would go out, and into how many folders; null where counting takes too long. */
export async function countRows(
  db: Db,
  plan: Plan,
  { what, partitions, load }: { what: "rows" | "held"; partitions: readonly Partition[]; load?: number | undefined },
): Promise<CountedOut | null> {
  return await transaction(db, async (client) => {
    const held = what === "held";
    const table = held ? `(${heldViewSql(plan)})` : tableOf(plan);
    const names = held
      ? fieldsOut(what, plan.contract.fields).map((f) => f.name)
      : (await targetColumns(client, table)).map((c) => c.name);
    const columns = new Set(names);
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

const ACCEPTED: ReadonlySet<number> = new Set([BYTE.inserted, BYTE.updated, BYTE.unchanged]);

const CHANGED: ReadonlySet<number> = new Set([BYTE.inserted, BYTE.updated]);

/** The records that a load accepted, as it made them: inserted, updated or unchanged; or only those that were new or changed something. */
export async function* acceptedOf(db: Db, load: number, what: "accepted" | "changed"): AsyncGenerator<Page> {
  const outcomes = what === "accepted" ? ACCEPTED : CHANGED;
  for await (const { sifted, which } of blocksAgain(db, load, (outcome) => outcomes.has(outcome))) {
    for (let at = 0; at < which.length; at += ROWS) yield which.slice(at, at + ROWS).map((r) => fieldValues(sifted, r));
  }
}

/** A sound yes or no as the contract keeps it, in words. */
const YES_OR_NO: Readonly<Record<string, string>> = { t: "true", f: "false" };

/** All records of a load, by the fields of `OF_RECORDS` and its contract: what became of each, and why. */
export async function* recordsOf(db: Db, load: number): AsyncGenerator<Page> {
  for await (const { block, sifted, which, rerun } of blocksAgain(db, load, () => true)) {
    const problems = await problemsOfBlock(db, load, rerun, sifted);
    const file = rerun.facts[block.file]!.name;
    const isYesOrNo = rerun.compiled.fields.map((f) => f.type === "boolean");
    const page = which.map((r) => [
      outcomeOf(block.outcomes[r]!) ?? "",
      problems(r)
        .map((p) => p.message)
        .join(" "),
      String(block.firstRecord + r),
      file,
      String(sifted.block.origin.line[r]!),
      ...fieldValues(sifted, r).map((value, f) => (isYesOrNo[f] ? (YES_OR_NO[value] ?? value) : value)),
    ]);
    for (let at = 0; at < page.length; at += ROWS) yield page.slice(at, at + ROWS);
  }
}

/** The records of a feed that are held or overtaken, by the fields of `OF_HELD` and its contract, as they are mended by now. */
export async function* heldOf(
  db: Db,
  plan: Plan,
  { partitions, load }: { partitions: readonly Partition[]; load?: number | undefined },
): AsyncGenerator<Page> {
  const order = [...partitions.map((p) => p.field), "_load", "_record"].map((name) => `h.${ident(name)}`);
  const names = fieldsOut("held", plan.contract.fields).map(({ name }) => `coalesce(h.${ident(name)}::text, '')`);
  const pages = pagesOf<{ v: string[] }>(db, ROWS, async (client) => {
    await client.query("set local timezone = 'UTC'; set local datestyle = 'ISO'");
    const only = load === undefined ? "" : `where h._load = ${load}`;
    return {
      sql: `select array[${names.join(", ")}] as v from (${heldViewSql(plan)}) h ${only} order by ${order.join(", ")}`,
    };
  });
  for await (const rows of pages) yield rows.map((r) => r.v);
}
