import type { Plan } from "@/core/plan/document.ts";
import { ident, type Queryable } from "@/store/db.ts";
import { targetChanges } from "./alterations.ts";
import { isEmpty, keySql, tableOf, targetLines } from "./target.ts";

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
  // Rows of further targets are made of what is staged, which may have more columns, and numbers that the database gives go on as they were.
  if (plan.load.further || plan.load.without || plan.load.numbered !== undefined) return null;
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
  if (!there.plain || ((plan.load.mode !== "replace" || plan.load.slice !== undefined) && !(await isEmpty(db, plan))))
    return null;
  const changes = await targetChanges(db, plan, table);
  // The rows that are kept for an undo change with the table's own.
  if (changes.conversions.length > 0) return null;
  const like = "including comments including constraints including defaults including generated including storage";
  const make = `create table ${table} (like ${tableOf(plan)} ${like})`;
  return { make: [make, ...changes.statements, ownLoad], key: there.key };
}
