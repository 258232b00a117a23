import type { Queryable } from "@/store/db.ts";

/** A column of a table as the database has it. */
export interface DefinedColumn {
  readonly name: string;
  readonly type: string;
  readonly notNull: boolean;
  /** What a row has there that says nothing of it, as an expression; empty where it is nothing. */
  readonly otherwise: string;
  readonly comment: string;
}

/** What a table is: its columns, its rules (keys, checks, what it refers to) and its indexes, as the database writes them. */
export interface Definition {
  readonly columns: readonly DefinedColumn[];
  readonly rules: readonly { readonly name: string; readonly says: string }[];
  readonly indexes: readonly { readonly name: string; readonly says: string }[];
}

/** The definition of a table by its quoted name; null where there is none. */
export async function definitionOf(db: Queryable, table: string): Promise<Definition | null> {
  const { rows: columns } = await db.query<DefinedColumn>(
    `select a.attname as name, format_type(a.atttypid, a.atttypmod) as type, a.attnotnull as "notNull",
       case when a.attidentity <> '' then 'numbered by the database' else coalesce(pg_get_expr(d.adbin, d.adrelid), '') end as otherwise,
       coalesce(col_description(a.attrelid, a.attnum), '') as comment
     from pg_attribute a left join pg_attrdef d on d.adrelid = a.attrelid and d.adnum = a.attnum
     where a.attrelid = to_regclass($1) and a.attnum > 0 and not a.attisdropped order by a.attnum`,
    [table],
  );
  if (columns.length === 0) return null;
  const { rows: rules } = await db.query<{ name: string; says: string }>(
    `select conname as name, pg_get_constraintdef(oid) as says from pg_constraint where conrelid = to_regclass($1)
     order by array_position('{p,u,c,f}'::text[], contype::text), conname`,
    [table],
  );
  // Those of keys are among the rules.
  const { rows: indexes } = await db.query<{ name: string; says: string }>(
    `select i.indexrelid::regclass::text as name, regexp_replace(pg_get_indexdef(i.indexrelid), '^.* USING ', '') as says
     from pg_index i where i.indrelid = to_regclass($1) and not exists (select from pg_constraint k where k.conindid = i.indexrelid)
     order by 1`,
    [table],
  );
  return { columns, rules, indexes };
}
