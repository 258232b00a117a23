import { columnTakes, type TableColumn } from "@/core/interop/table.ts";
import { policyOf } from "@/core/course/checks.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Field } from "@/core/plan/types.ts";
import { SieveError, counted, grouped, listed, quoted } from "@/core/kernel/problem.ts";
import { typePart } from "@/core/type/index.ts";
import { charactersOf, takesDecimals } from "@/core/type/part.ts";
import { ident, type Client, type Queryable } from "@/store/db.ts";
import { ownTransactions, transactionNumber } from "@/store/writings.ts";
import {
  beginConversion,
  conversionSql,
  endConversion,
  hangsOn,
  tryConversion,
  type Conversion,
} from "./conversion.ts";

/** The schema in which targets live that Good Sieve makes. */
export const TARGET = "target";

/** The quoted name of a plan's target. */
export function tableOf(plan: Plan): string {
  return ident(plan.load.schema ?? TARGET, plan.load.target);
}

/** The column of what no field takes, in targets of plans that keep it. */
export const EXTRA = "_extra";

/** Names of the columns that a record brings, its fields' and what else the plan keeps. */
export function recordColumns(plan: Plan): string[] {
  return [...plan.contract.fields.map((f) => f.name), ...(plan.map.extra === "keep" ? [EXTRA] : [])];
}

/** The same with the types in which they are staged, before the target's own are known. */
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

function keySql(plan: Plan): string {
  return `primary key (${plan.load.key.map((k) => ident(k)).join(", ")})`;
}

function targetLines(plan: Plan): string[] {
  const lines = plan.contract.fields
    .map(columnOf)
    .map((c) => `  ${ident(c.name)} ${c.type}${c.notNull ? " not null" : ""}`);
  if (plan.map.extra === "keep") lines.push(`  ${ident(EXTRA)} jsonb`);
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
  const wanted = new Map(plan.contract.fields.map((f) => [f.name, columnOf(f).type]));
  const own = plan.load.schema === undefined;
  return new Map(
    (await targetColumns(db, tableOf(plan))).map((c) => {
      const want = wanted.get(c.name);
      return [c.name, { ...c, pending: own && want !== undefined && want !== c.type && !widens(c.type, want) }];
    }),
  );
}

/** What a plan would have altered in its target, and what it may not alter. */
export interface Alterations {
  readonly exists: boolean;
  /** In the order in which they would be run. */
  readonly statements: readonly string[];
  /** Columns whose values become those of another type: only where every one of them does. */
  readonly conversions: readonly Conversion[];
  /** Rows are written anew by them. */
  readonly rewrites: boolean;
  /** Where a value could be lost, or a table that is not Good Sieve's own would be changed. */
  readonly refusals: readonly { readonly field: string; readonly says: string; readonly hint: string }[];
}

/** What the application's role may do with a table; null where there is no such table. */
export interface TableRights {
  readonly role: string;
  /** Rows may be read, put in, changed and removed. */
  readonly rows: boolean;
  readonly alter: boolean;
  /** Tables that it refers to and that can't be read, quoted where need be. */
  readonly unread: readonly string[];
}

/** The rights of this connection's role on a table, which are asked for without needing any. */
export async function rightsOn(db: Queryable, schema: string, table: string): Promise<TableRights | null> {
  const { rows } = await db.query<TableRights>(
    `select current_user::text as role, pg_has_role(c.relowner, 'usage') as alter,
       has_schema_privilege(n.oid, 'usage') and has_table_privilege(c.oid, 'select')
         and has_table_privilege(c.oid, 'insert') and has_table_privilege(c.oid, 'update')
         and has_table_privilege(c.oid, 'delete') as rows,
       array(select format('%I.%I', m.nspname, f.relname) from pg_constraint k
         join pg_class f on f.oid = k.confrelid join pg_namespace m on m.oid = f.relnamespace
         where k.conrelid = c.oid and k.contype = 'f'
           and not (has_schema_privilege(m.oid, 'usage') and has_table_privilege(f.oid, 'select')) order by 1) as unread
     from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where n.nspname = $1 and c.relname = $2 and c.relkind in ('r', 'p')`,
    [schema, table],
  );
  return rows[0] ?? null;
}

/** What the owner of a table runs so that the application may read and write its rows. */
function grantsFor(schema: string, table: string, { role, unread }: TableRights): string {
  const to = `to ${ident(role)};`;
  return [
    `grant usage on schema ${ident(schema)} ${to}`,
    `grant select, insert, update, delete on ${ident(schema, table)} ${to}`,
    ...unread.map((other) => `grant select on ${other} ${to}`),
  ].join(" ");
}

/** Throws `no-right` where the application's role can't read and write a table's rows, with what gives it that. */
export async function needRights(db: Queryable, schema: string, table: string): Promise<TableRights | null> {
  const rights = await rightsOn(db, schema, table);
  if (!rights || (rights.rows && rights.unread.length === 0)) return rights;
  const what = rights.rows ? `${rights.unread.join(", ")}, which ${schema}.${table} refers to` : `${schema}.${table}`;
  throw new SieveError(
    "no-right",
    `The role ${rights.role} may not ${rights.rows ? "read" : "read and write"} ${what}.`,
    {
      detail: "Good Sieve works by a role that has the rights that it was given, and no others.",
      hint: `Have the table's owner run: ${grantsFor(schema, table, rights)}`,
    },
  );
}

/**
 * What brings the target to what the plan needs: made when it is not there, columns added, types
 * widened, or changed where every value that is there is one of the new type (which is tried), NOT NULL taken away.
 * A table outside of the targets' own schema only gains columns.
 * `table` is the quoted name that the statements speak of.
 */
export async function alterationsOf(db: Queryable, plan: Plan, table = tableOf(plan)): Promise<Alterations> {
  const { target, schema } = plan.load;
  const rights = await needRights(db, schema ?? TARGET, target);
  const columns = rights ? await targetColumns(db, tableOf(plan)) : [];
  if (columns.length === 0) {
    const refusals =
      schema === undefined
        ? []
        : [
            {
              field: "",
              says: `There is no table ${schema}.${target}.`,
              hint: "Choose a table that is there, or let one be made among the targets.",
            },
          ];
    const statements = refusals.length > 0 ? [] : [createTargetSql(plan)];
    return { exists: false, statements, refusals, conversions: [], rewrites: false };
  }
  const own = schema === undefined;
  const have = new Map(columns.map((c) => [c.name, c]));
  const statements: string[] = [];
  const conversions: Conversion[] = [];
  let rewrites = false;
  const refusals: Alterations["refusals"][number][] = [];
  const refuse = (field: string, says: string, hint: string): void => void refusals.push({ field, says, hint });
  for (const field of plan.contract.fields) {
    const want = columnOf(field);
    const column = have.get(want.name);
    have.delete(want.name);
    if (!column) {
      statements.push(`alter table ${table} add column ${ident(want.name)} ${want.type}`);
      continue;
    }
    if (own ? column.type !== want.type : !columnTakes(column, field)) {
      const hanging = own ? await hangsOn(db, tableOf(plan), want.name) : [];
      if (hanging.length > 0) {
        refuse(
          want.name,
          `The column ${want.name} of ${target} is ${column.type} and can't become ${want.type}: ${listed(hanging)} hangs on it.`,
          "Take that away first, or give the field the type that the column has.",
        );
      } else if (own && widens(column.type, want.type)) {
        rewrites = true;
        statements.push(`alter table ${table} alter column ${ident(want.name)} type ${want.type}`);
      } else if (own && !plan.load.key.includes(want.name)) {
        const tried = await tryConversion(db, tableOf(plan), field, column.type);
        if (tried.misfits > 0) refuse(want.name, misfitWords(target, tried), MISFIT_HINT);
        else {
          rewrites = true;
          conversions.push(tried);
          statements.push(conversionSql(table, tried));
        }
      } else {
        refuse(
          want.name,
          `The column ${want.name} of ${target} is ${column.type} and ${own ? `is of its key, so it can't become ${want.type}` : "does not take all that the field may have"}.`,
          `Give the field ${want.name} the column's type, or another name, or load into another target.`,
        );
      }
    }
    if (column.notNull && !want.notNull && !plan.load.key.includes(want.name)) {
      if (own) statements.push(`alter table ${table} alter column ${ident(want.name)} drop not null`);
      else {
        refuse(
          want.name,
          `The column ${want.name} of ${target} must not be empty, and the field may be.`,
          `Make the field ${want.name} required.`,
        );
      }
    }
  }
  if (!have.delete(EXTRA) && plan.map.extra === "keep")
    statements.push(`alter table ${table} add column ${ident(EXTRA)} jsonb`);
  for (const name of ["_load", "_record", "_writing"]) {
    // In a table that others fill too, their rows have none of these.
    if (!have.delete(name)) statements.push(`alter table ${table} add column ${ident(name)} integer`);
  }
  for (const left of have.values()) {
    if (!left.notNull || left.filled) continue;
    // Columns of fields that the plan no longer has stay, and are empty from now on.
    if (own) statements.push(`alter table ${table} alter column ${ident(left.name)} drop not null`);
    else {
      refuse(
        left.name,
        `The column ${left.name} of ${target} must not be empty, and no field fills it.`,
        `Make a field ${left.name}.`,
      );
    }
  }
  const key = await primaryKey(db, tableOf(plan));
  if (key.join() !== [...plan.load.key].sort().join()) {
    refuse(
      "",
      `The key of ${target} is ${key.length > 0 ? key.join(", ") : "not set"}; the plan's is ${plan.load.key.join(", ") || "not set"}.`,
      "Give the plan the target's key, or load into another target.",
    );
  }
  if (rights && !rights.alter && statements.length > 0) {
    refuse(
      "",
      `The role ${rights.role} may not alter ${schema ?? TARGET}.${target}, which needs to be.`,
      `Have the table's owner run: ${statements.join("; ")};`,
    );
  }
  return { exists: true, statements, refusals, conversions, rewrites };
}

const MISFIT_HINT =
  "Mend these values in the target first, or give the field a type that takes them, or load into another target.";

/** Why a column can't have another type: what of its values stands against it. */
function misfitWords(target: string, { field, from, to, values, misfits, rows, some }: Conversion): string {
  const shown = some.map((s) => quoted(s.value)).join(", ");
  const kept = rows === 0 ? "which are kept for an undo" : `in ${counted(rows, "row")}`;
  const which =
    misfits === values
      ? `none of its ${counted(values, "value")} fits`
      : `${counted(misfits, "value")} of ${grouped(values)} ${misfits === 1 ? "does" : "do"} not fit`;
  const more = misfits > some.length ? ` and ${counted(misfits - some.length, "more value")}` : "";
  return `The column ${field} of ${target} is ${from} and can't become ${to}: ${which}, ${kept}: ${shown}${more}.`;
}

/** What brings the target to what the plan needs. Throws `target-differs` where it may not be. */
export async function targetChanges(db: Queryable, plan: Plan, table = tableOf(plan)): Promise<Alterations> {
  const alterations = await alterationsOf(db, plan, table);
  const [first, ...more] = alterations.refusals;
  if (!first) return alterations;
  throw new SieveError("target-differs", first.says, {
    detail: more.map((r) => r.says).join("\n"),
    hint: first.hint,
  });
}

/** Brings the target to what the plan needs, in a transaction that holds it locked. Throws `target-differs`. */
export async function alterTarget(client: Client, plan: Plan): Promise<void> {
  const table = tableOf(plan);
  const { statements, conversions, rewrites } = await targetChanges(client, plan);
  if (rewrites) {
    // A row that is written anew looks like one that was written now: what others have changed is nobody's from here on.
    const ours = await ownTransactions(client, table, [await transactionNumber(client)]);
    if ((await columnsByName(client, table)).has("_writing")) {
      await client.query(
        `update ${table} t set "_writing" = null where "_writing" is not null and not t.xmin = any(${ours})`,
      );
    }
  }
  const fields = new Map(plan.contract.fields.map((f) => [f.name, f]));
  for (const c of conversions) await beginConversion(client, table, fields.get(c.field)!, c);
  for (const statement of statements) await client.query(statement);
  for (const c of conversions) await endConversion(client, table, c);
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

async function primaryKey(db: Queryable, table: string): Promise<string[]> {
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

/** The target's side of a comparison with a staged column; `t` is the row. */
export function inTarget(name: string, column: PlannedColumn): string {
  return column.pending ? `t.${ident(name)}::text` : `t.${ident(name)}`;
}

/** A table that is filled beside the target and takes its place when the load closes. */
export interface Successor {
  /** Statements that make it, without its key. */
  readonly make: readonly string[];
  /** The key, to be added once its rows are there; empty when the target has none. */
  readonly key: string;
}

/**
 * How to fill a table that takes the target's place: possible where the target is not there, or where
 * none of its rows stay (it is empty, or the load replaces all) and nothing else in the database
 * hangs on it: no grants, views, foreign keys, triggers, further indexes or the like. Null otherwise.
 */
export async function successorOf(
  db: Queryable,
  plan: Plan,
  { load, writing }: { load: number; writing: number },
  table: string,
): Promise<Successor | null> {
  const { target, schema } = plan.load;
  // A table that is not Good Sieve's own is never replaced.
  if (schema !== undefined) return null;
  const ownLoad = `alter table ${table} alter column "_load" set default ${load}, alter column "_writing" set default ${writing}`;
  const { rows } = await db.query<{ plain: boolean; key: string }>(
    `select c.relkind = 'r' and c.relpersistence = 'p' and c.relacl is null and c.reloptions is null
         and c.reltablespace = 0 and c.relowner = current_user::regrole and not c.relrowsecurity
         and not c.relhasrules and not c.relhastriggers and not c.relhassubclass and not c.relispartition
         and not exists (select from pg_attribute a where a.attrelid = c.oid and (a.attacl is not null or a.attisdropped))
         and not exists (select from pg_constraint k where k.conrelid = c.oid and k.contype <> 'p')
         and not exists (select from pg_index i where i.indrelid = c.oid and not i.indisprimary)
         and not exists (select from pg_description d where d.objoid = c.oid and d.classoid = 'pg_class'::regclass and d.objsubid = 0)
         and not exists (select from pg_depend d where d.refclassid = 'pg_class'::regclass and d.refobjid = c.oid
           and d.deptype in ('n', 'a') and d.classid not in ('pg_constraint'::regclass, 'pg_attrdef'::regclass)) as plain,
       coalesce((select 'constraint ' || quote_ident(k.conname) || ' ' || pg_get_constraintdef(k.oid) from pg_constraint k
         where k.conrelid = c.oid and k.contype = 'p'), '') as key
     from pg_class c where c.oid = to_regclass($1)`,
    [tableOf(plan)],
  );
  const there = rows[0];
  if (!there) {
    const make = `create table ${table} (\n${targetLines(plan).join(",\n")}\n)`;
    const key = plan.load.key.length > 0 ? `constraint ${ident(`${target}_pkey`)} ${keySql(plan)}` : "";
    return { make: [make, ownLoad], key };
  }
  if (!there.plain || (plan.load.mode !== "replace" && !(await isEmpty(db, plan)))) return null;
  const changes = await targetChanges(db, plan, table);
  // The rows that are kept for an undo change with the table's own.
  if (changes.conversions.length > 0) return null;
  const like = "including comments including constraints including defaults including generated including storage";
  const make = `create table ${table} (like ${tableOf(plan)} ${like})`;
  return { make: [make, ...changes.statements, ownLoad], key: there.key };
}

async function isEmpty(db: Queryable, plan: Plan): Promise<boolean> {
  const { rows } = await db.query<{ empty: boolean }>(`select not exists (select from ${tableOf(plan)}) as empty`);
  return rows[0]!.empty;
}

/** True when every value of one type is a value of the other. */
function widens(from: string, to: string): boolean {
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
