import { targetFields } from "@/core/plan/target-fields.ts";
import type { TableColumn } from "@/core/interop/table.ts";
import { policyOf } from "@/core/course/checks.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/field/field.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { typePart } from "@/core/type/index.ts";
import { charactersOf, takesDecimals } from "@/core/type/part.ts";
import { ident, type Queryable } from "@/store/db.ts";

/** The schema in which targets live that Good Sieve makes. */
export const TARGET = "target";

/** The quoted name of a plan's target. */
export function tableOf(plan: Plan): string {
  return ident(plan.load.schema ?? TARGET, plan.load.target);
}

/** Columns of every target that say how a row came about; none of them is a record's. */
export const ORIGIN: readonly string[] = ["_load", "_record", "_writing"];

/** The column of what no field takes, in targets of plans that keep it. */
export const EXTRA = "_extra";

/** The type of a column by which the database numbers the rows; unique, so that others may refer to it. */
export const NUMBERED = "bigint generated always as identity unique";

/** Names of the target's columns that a record brings: its fields', and what else the plan keeps. */
export function recordColumns(plan: Plan): string[] {
  return [...targetFields(plan).map((f) => f.name), ...(plan.map.extra === "keep" ? [EXTRA] : [])];
}

/** The columns in which records are staged, of all fields, with their types, before the target's own are known. */
export function stagedColumns(plan: Plan): { name: string; type: string }[] {
  const extra = plan.map.extra === "keep" ? [{ name: EXTRA, type: "jsonb" }] : [];
  return [...plan.contract.fields.map(columnOf), ...extra];
}

/** The column of a field: its name and type, and whether the database too refuses an empty value. */
export function columnOf(field: Field): { name: string; type: string; notNull: boolean } {
  return {
    name: field.name,
    type: typePart(field.type).sql(field),
    notNull: field.required === true && policyOf(field, "required") !== "note",
  };
}

/** The statement that makes the target of a plan, as it is shown and as it is run. */
export function createTargetSql(plan: Plan): string {
  const lines = targetLines(plan);
  if (plan.load.key.length > 0) lines.push(`  ${keySql(plan)}`);
  return `create table ${tableOf(plan)} (\n${lines.join(",\n")}\n)`;
}

export function keySql(plan: Plan): string {
  return `primary key (${plan.load.key.map((k) => ident(k)).join(", ")})`;
}

export function targetLines(plan: Plan): string[] {
  const lines = targetFields(plan)
    .map(columnOf)
    .map((c) => `  ${ident(c.name)} ${c.type}${c.notNull ? " not null" : ""}`);
  if (plan.map.extra === "keep") lines.push(`  ${ident(EXTRA)} jsonb`);
  if (plan.load.numbered !== undefined) lines.push(`  ${ident(plan.load.numbered)} ${NUMBERED}`);
  lines.push(`  "_load" integer not null`, `  "_record" integer not null`, `  "_writing" integer`);
  return lines;
}

/** The columns of a table, by its quoted name, as the database has them; none when there is no such table. */
export async function targetColumns(db: Queryable, table: string): Promise<TableColumn[]> {
  const { rows } = await db.query<TableColumn>(
    `select a.attname as name, format_type(a.atttypid, a.atttypmod) as type, a.attnotnull as "notNull",
       a.atthasdef or a.attidentity <> '' as filled, a.attgenerated <> '' or a.attidentity = 'a' as computed,
       (select array_agg(e.enumlabel::text order by e.enumsortorder) from pg_enum e where e.enumtypid = a.atttypid) as labels
     from pg_attribute a where a.attrelid = to_regclass($1) and a.attnum > 0 and not a.attisdropped order by a.attnum`,
    [table],
  );
  return rows;
}

/** The columns of a table by their names. */
export async function columnsByName(db: Queryable, table: string): Promise<Map<string, TableColumn>> {
  return new Map((await targetColumns(db, table)).map((c) => [c.name, c]));
}

/** A column of a target, and whether its values are still to become those of another type. */
export interface PlannedColumn extends TableColumn {
  readonly pending: boolean;
}

/** The columns of a plan's target by their names, before it is altered to what the plan needs. */
export async function plannedColumns(db: Queryable, plan: Plan): Promise<Map<string, PlannedColumn>> {
  const wanted = new Map(targetFields(plan).map((f) => [f.name, columnOf(f).type]));
  const own = plan.load.schema === undefined;
  return new Map(
    (await targetColumns(db, tableOf(plan))).map((c) => {
      const want = wanted.get(c.name);
      return [c.name, { ...c, pending: own && want !== undefined && want !== c.type && !widens(c.type, want) }];
    }),
  );
}

/** Different values of a column that are given at once. */
const MOST_VALUES = 20_000;

/** The different values of a column of the target, the most frequent first; none where it has no such column. */
export async function targetValues(
  db: Queryable,
  plan: Plan,
  column: string,
): Promise<{ values: { value: string; count: number }[]; all: boolean }> {
  const columns = await targetColumns(db, tableOf(plan));
  if (!columns.some((c) => c.name === column)) return { values: [], all: true };
  const { rows } = await db.query<{ value: string; count: number }>(
    `select ${ident(column)}::text as value, count(*)::int as count from ${tableOf(plan)}
     where ${ident(column)} is not null group by 1 order by 2 desc, 1 limit ${MOST_VALUES + 1}`,
  );
  return { values: rows.slice(0, MOST_VALUES), all: rows.length <= MOST_VALUES };
}

export async function primaryKey(db: Queryable, table: string): Promise<string[]> {
  const { rows } = await db.query<{ name: string }>(
    `select a.attname as name from pg_index i join pg_attribute a on a.attrelid = i.indrelid and a.attnum = any(i.indkey)
     where i.indrelid = to_regclass($1) and i.indisprimary`,
    [table],
  );
  return rows.map((r) => r.name).sort();
}

/**
 * How a staged column is written where the target's has another type; `s` is the staged row. One whose values are still
 * to become those of another type is compared as a text (`inTarget`).
 */
export function staged(name: string, column: (TableColumn & { readonly pending?: boolean }) | undefined): string {
  const own = `s.${ident(name)}`;
  if (!column) return own;
  if (column.pending) return `${own}::text`;
  if (column.type === "timestamp without time zone") return `(${own} at time zone 'UTC')::${column.type}`;
  return `${own}::${column.type}`;
}

/** That a staged record `s` has the key of a row `t` of the target. */
export const sameKey = (key: readonly string[], columns: ReadonlyMap<string, Parameters<typeof staged>[1]>): string =>
  key.map((k) => `${staged(k, columns.get(k))} = t.${ident(k)}`).join(" and ");

/** The target's side of a comparison with a staged column; `t` is the row. */
export function inTarget(name: string, column: PlannedColumn): string {
  return column.pending ? `t.${ident(name)}::text` : `t.${ident(name)}`;
}

export async function isEmpty(db: Queryable, plan: Plan): Promise<boolean> {
  const { rows } = await db.query<{ empty: boolean }>(`select not exists (select from ${tableOf(plan)}) as empty`);
  return rows[0]!.empty;
}

/** True when every value of one type is a value of the other. */
export function widens(from: string, to: string): boolean {
  if (to === "text") return true;
  if (to === "bigint" || to === "integer") return from === "smallint" || (to === "bigint" && from === "integer");
  if (to.startsWith("character varying")) return charactersOf(from) <= charactersOf(to);
  const a = /^numeric\((\d+),(\d+)\)$/.exec(from);
  if (from === "bigint") return takesDecimals(to, 19, 0);
  return a !== null && takesDecimals(to, Number(a[1]) - Number(a[2]), Number(a[2]));
}

/**
 * The target must have taken as many records as it was given.
 * @throws SieveError `not_written` where it did not, as a trigger or a rule of its own can bring about.
 */
export function assertWritten(plan: Plan, what: "inserted" | "updated", written: number, given: number): void {
  if (written === given) return;
  throw new SieveError("not_written", `The target took ${written} of the ${given} records that were to be ${what}.`, {
    detail: `${plan.load.schema ?? TARGET}.${plan.load.target} has kept the rest from being written, so nothing was.`,
    hint: "Look for a trigger or a rule of that table that drops rows, and take it away or make it fail with a message.",
  });
}
