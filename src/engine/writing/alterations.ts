import { targetFields } from "@/core/plan/target-fields.ts";
import { columnTakes, type TableColumn } from "@/core/interop/table.ts";
import type { Plan } from "@/core/plan/document.ts";
import { targetPlans } from "@/core/plan/further.ts";
import type { Field } from "@/core/field/field.ts";
import { SieveError, counted, grouped, listed, quoted } from "@/core/kernel/problem.ts";
import { ident, type Client, type Queryable } from "@/store/db.ts";
import { ownTransactions, transactionNumber } from "@/store/writings.ts";
import { commentStatements } from "./comments.ts";
import { definitionOf, type Definition } from "./definition.ts";
import { defaultStatements } from "./defaults.ts";
import { indexStatements } from "./indexes.ts";
import {
  beginConversion,
  conversionSql,
  endConversion,
  hangsOn,
  tryConversion,
  type Conversion,
} from "./conversion.ts";
import {
  EXTRA,
  NUMBERED,
  ORIGIN,
  TARGET,
  columnOf,
  columnsByName,
  createTargetSql,
  primaryKey,
  tableOf,
  targetColumns,
  widens,
} from "./target.ts";

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
export function grantsFor(schema: string, table: string, { role, unread }: TableRights): string {
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
  if (columns.length === 0) return await ofNewTarget(db, plan);
  const found: Found = { statements: [], refusals: [], conversions: [], rewrites: false };
  const at = { plan, table, own: schema === undefined, found };
  const have = new Map(columns.map((c) => [c.name, c]));
  for (const field of targetFields(plan)) {
    const { name, type } = columnOf(field);
    const column = have.get(name);
    have.delete(name);
    if (column) {
      await alterType(db, at, field, column);
      alterNotNull(at, field, column);
    } else found.statements.push(`alter table ${table} add column ${ident(name)} ${type}`);
  }
  if (!have.delete(EXTRA) && plan.map.extra === "keep")
    found.statements.push(`alter table ${table} add column ${ident(EXTRA)} jsonb`);
  const { numbered } = plan.load;
  if (numbered !== undefined && !have.delete(numbered))
    found.statements.push(`alter table ${table} add column ${ident(numbered)} ${NUMBERED}`);
  for (const name of ORIGIN) {
    // In a table that others fill too, their rows have none of these.
    if (!have.delete(name)) found.statements.push(`alter table ${table} add column ${ident(name)} integer`);
  }
  for (const column of have.values()) leaveUnfilled(at, column);
  await refuseOtherKey(db, at);
  // A table that is to take the target's place gets them when it has.
  if (rights?.alter && table === tableOf(plan)) found.statements.push(...(await besideColumns(db, plan)));
  if (rights && !rights.alter && found.statements.length > 0) {
    found.refusals.push({
      field: "",
      says: `The role ${rights.role} may not alter ${schema ?? TARGET}.${target}, which needs to be.`,
      hint: `Have the table's owner run: ${found.statements.join("; ")};`,
    });
  }
  return { exists: true, ...found };
}

/** What gives a target what its plan says of it beside its columns. */
async function besideColumns(db: Queryable, plan: Plan): Promise<string[]> {
  return [
    ...(await indexStatements(db, plan)),
    ...(await defaultStatements(db, plan)),
    ...(await commentStatements(db, plan)),
  ];
}

/** Does the same where a target was not altered, as another table has taken its place. */
export async function keepBesideColumns(client: Client, plan: Plan): Promise<void> {
  for (const statement of await besideColumns(client, plan)) await client.query(statement);
}

/** What is altered and refused, as it is found. */
interface Found {
  readonly statements: string[];
  readonly conversions: Conversion[];
  readonly refusals: Alterations["refusals"][number][];
  rewrites: boolean;
}

/** A target that is brought to what its plan needs, and what that takes, as it is found. */
interface Altering {
  readonly plan: Plan;
  /** The quoted name that the statements speak of. */
  readonly table: string;
  /** Whether the table stands among the targets, and not elsewhere in the database. */
  readonly own: boolean;
  readonly found: Found;
}

/** A target that is not there yet: made among the targets, refused elsewhere. */
async function ofNewTarget(db: Queryable, plan: Plan): Promise<Alterations> {
  const { target, schema } = plan.load;
  const none = { exists: false, statements: [], refusals: [], conversions: [], rewrites: false };
  if (schema === undefined) return { ...none, statements: [createTargetSql(plan), ...(await besideColumns(db, plan))] };
  const says = `There is no table ${schema}.${target}.`;
  const hint = "Choose a table that is there, or let one be made among the targets.";
  return { ...none, refusals: [{ field: "", says, hint }] };
}

/** Gives a column the type that its field needs, where nothing hangs on it and all of its values are of it. */
async function alterType(
  db: Queryable,
  { plan, table, own, found }: Altering,
  field: Field,
  column: TableColumn,
): Promise<void> {
  const { name, type } = columnOf(field);
  if (own ? column.type === type : columnTakes(column, field)) return;
  const { target } = plan.load;
  const refuse = (says: string, hint: string): void => void found.refusals.push({ field: name, says, hint });
  const hanging = own ? await hangsOn(db, tableOf(plan), name) : [];
  if (hanging.length > 0) {
    refuse(
      `The column ${name} of ${target} is ${column.type} and can't become ${type}: ${listed(hanging)} hangs on it.`,
      "Take that away first, or give the field the type that the column has.",
    );
  } else if (own && widens(column.type, type)) {
    found.rewrites = true;
    found.statements.push(`alter table ${table} alter column ${ident(name)} type ${type}`);
  } else if (own && !plan.load.key.includes(name)) {
    const tried = await tryConversion(db, tableOf(plan), field, column.type);
    if (tried.misfits > 0) return refuse(misfitWords(target, tried), MISFIT_HINT);
    found.rewrites = true;
    found.conversions.push(tried);
    found.statements.push(conversionSql(table, tried));
  } else {
    refuse(
      `The column ${name} of ${target} is ${column.type} and ${own ? `is of its key, so it can't become ${type}` : "does not take all that the field may have"}.`,
      `Give the field ${name} the column's type, or another name, or load into another target.`,
    );
  }
}

/** Lets a column be empty whose field may be. */
function alterNotNull({ plan, table, own, found }: Altering, field: Field, column: TableColumn): void {
  const { name, notNull } = columnOf(field);
  if (!column.notNull || notNull || plan.load.key.includes(name)) return;
  if (own) found.statements.push(`alter table ${table} alter column ${ident(name)} drop not null`);
  else {
    found.refusals.push({
      field: name,
      says: `The column ${name} of ${plan.load.target} must not be empty, and the field may be.`,
      hint: `Make the field ${name} required.`,
    });
  }
}

/** A column that no field of the plan fills stays, and is empty from now on. */
function leaveUnfilled({ plan, table, own, found }: Altering, { name, notNull, filled }: TableColumn): void {
  if (!notNull || filled) return;
  if (own) found.statements.push(`alter table ${table} alter column ${ident(name)} drop not null`);
  else {
    found.refusals.push({
      field: name,
      says: `The column ${name} of ${plan.load.target} must not be empty, and no field fills it.`,
      hint: `Make a field ${name}.`,
    });
  }
}

async function refuseOtherKey(db: Queryable, { plan, found }: Altering): Promise<void> {
  const key = await primaryKey(db, tableOf(plan));
  const wanted = plan.load.key;
  if (key.join() === [...wanted].sort().join()) return;
  found.refusals.push({
    field: "",
    says: `The key of ${plan.load.target} is ${key.length > 0 ? key.join(", ") : "not set"}; the plan's is ${wanted.join(", ") || "not set"}.`,
    hint: "Give the plan the target's key, or load into another target.",
  });
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

/** What a plan would have altered in one of its targets, and what that is as it stands; null where it is not there yet. */
export type TargetAlterations = Alterations & { readonly target: string; readonly definition: Definition | null };

/** The same for all targets of a plan, its own first. */
export async function alterationsOfAll(db: Queryable, plan: Plan): Promise<TargetAlterations[]> {
  const all: TargetAlterations[] = [];
  for (const own of targetPlans(plan)) {
    const target = `${own.load.schema ?? TARGET}.${own.load.target}`;
    all.push({ target, ...(await alterationsOf(db, own)), definition: await definitionOf(db, tableOf(own)) });
  }
  return all;
}

/** That all of a plan's targets can be brought to what it needs. Throws `target-differs` where one may not be. */
export async function needTargets(db: Queryable, plan: Plan): Promise<void> {
  for (const own of targetPlans(plan)) await targetChanges(db, own);
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
  const fields = new Map(targetFields(plan).map((f) => [f.name, f]));
  for (const c of conversions) await beginConversion(client, table, fields.get(c.field)!, c);
  for (const statement of statements) await client.query(statement);
  for (const c of conversions) await endConversion(client, table, c);
}
