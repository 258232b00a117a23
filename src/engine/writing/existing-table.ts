import { contractOfTable, type TableRule } from "@/core/interop/table.ts";
import type { Taken } from "@/core/interop/part.ts";
import { OWN_SCHEMAS } from "@/core/plan/name.ts";
import { SieveError, listed } from "@/core/kernel/problem.ts";
import { ident, type Client, type Queryable } from "@/store/db.ts";
import { targetColumns } from "./target.ts";
import { needRights } from "./alterations.ts";

/** Values of a foreign key that become a list of codes; more than these are left to the database. */
const MOST_VALUES = 500;

export interface ExistingTable {
  readonly schema: string;
  readonly table: string;
  /** As the database last estimated; null when it never has. */
  readonly rows: number | null;
}

/** Tables of the database that could be targets and are not Good Sieve's own. */
export async function existingTables(db: Queryable): Promise<ExistingTable[]> {
  const { rows } = await db.query<ExistingTable>(
    `select n.nspname as schema, c.relname as table, nullif(c.reltuples, -1)::float8 as rows
     from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where c.relkind in ('r', 'p') and not c.relispartition and n.nspname <> all($1) and n.nspname not like 'pg\\_%'
       and has_table_privilege(c.oid, 'insert')
     order by 1, 2 limit 1000`,
    [OWN_SCHEMAS],
  );
  return rows;
}

/** The rules of a table besides its columns' types: keys, unique, check and foreign keys, these with the quoted name of what they refer to. */
export async function tableRules(
  db: Queryable,
  table: string,
): Promise<(TableRule & { sql: string; refers: string | null })[]> {
  const { rows } = await db.query<TableRule & { sql: string; refers: string | null }>(
    `select k.conname as name, pg_get_constraintdef(k.oid) as definition,
       case k.contype when 'p' then 'primary' when 'u' then 'unique' when 'c' then 'check' else 'foreign' end as kind,
       coalesce((select array_agg(a.attname::text order by x.at) from unnest(k.conkey) with ordinality x (num, at)
         join pg_attribute a on a.attrelid = k.conrelid and a.attnum = x.num), '{}') as columns,
       case k.contype
         when 'c' then pg_get_expr(k.conbin, k.conrelid)
         when 'f' then (select format('(%s) in (select %s from %s)',
           string_agg(format('s.%I', a.attname), ', ' order by x.at),
           string_agg(format('%I', b.attname), ', ' order by x.at), k.confrelid::regclass)
           from unnest(k.conkey, k.confkey) with ordinality x (num, other, at)
           join pg_attribute a on a.attrelid = k.conrelid and a.attnum = x.num
           join pg_attribute b on b.attrelid = k.confrelid and b.attnum = x.other)
         else '' end as sql,
       (select format('"%s"."%s"', replace(m.nspname, '"', '""'), replace(f.relname, '"', '""'))
         from pg_class f join pg_namespace m on m.oid = f.relnamespace where f.oid = k.confrelid) as refers
     from pg_constraint k where k.conrelid = to_regclass($1) and k.contype in ('p', 'u', 'c', 'f')
     union all
     select i.indexrelid::regclass::text, pg_get_indexdef(i.indexrelid), 'unique',
       (select array_agg(a.attname::text) from pg_attribute a where a.attrelid = i.indrelid and a.attnum = any(i.indkey)), '', null
     from pg_index i where i.indrelid = to_regclass($1) and i.indisunique and i.indexprs is null and i.indpred is null
       and not exists (select from pg_constraint k where k.conindid = i.indexrelid)
     order by kind desc, name`,
    [table],
  );
  return rows;
}

/** A foreign key by which rows of some table refer to another's. */
export interface ReferringKey {
  readonly name: string;
  /** The table whose rows refer, quoted where need be; whether it is the same table. */
  readonly child: string;
  readonly own: boolean;
  /** Quoted columns that refer, and those that they refer to, in the same order. */
  readonly from: readonly string[];
  readonly to: readonly string[];
}

/** The foreign keys by which rows of a table are referred to; those of partitions are their parent's. */
export async function referringKeys(db: Queryable, table: string): Promise<ReferringKey[]> {
  const { rows } = await db.query<ReferringKey>(
    `select k.conname as name, k.conrelid::regclass::text as child, k.conrelid = k.confrelid as own,
       array(select quote_ident(a.attname) from unnest(k.conkey) with ordinality x (num, at)
         join pg_attribute a on a.attrelid = k.conrelid and a.attnum = x.num order by x.at) as "from",
       array(select quote_ident(a.attname) from unnest(k.confkey) with ordinality x (num, at)
         join pg_attribute a on a.attrelid = k.confrelid and a.attnum = x.num order by x.at) as "to"
     from pg_constraint k where k.confrelid = to_regclass($1) and k.contype = 'f' and k.conparentid = 0 order by 2, 1`,
    [table],
  );
  return rows;
}

/** Takes all rows out of a table, by its quoted name, which nothing may hang on. Throws `rows-referred-to`. */
export async function emptyTable(client: Client, table: string): Promise<void> {
  const tables = [...new Set((await referringKeys(client, table)).map((k) => k.child))];
  if (tables.length > 0) {
    throw new SieveError(
      "rows-referred-to",
      `All rows of the target would be replaced, and ${listed(tables)} may refer to them.`,
      {
        detail: "A row that others refer to can't be taken away and put back without touching theirs.",
        hint: "Let the plan upsert by its key instead of replacing all rows.",
      },
    );
  }
  await client.query(`truncate ${table}`);
}

/** Lets no row come to refer to ours between a question and a deed by which it would be lost. */
export async function lockReferring(client: Client, keys: readonly ReferringKey[]): Promise<void> {
  for (const { child, own } of keys) {
    if (!own) await client.query(`lock table ${child} in share row exclusive mode`);
  }
}

/** That a row `c` of the referring table refers to the row `t`, in SQL. */
export function refersTo({ from, to }: ReferringKey): string {
  return from.map((f, i) => `c.${f} = t.${to[i]!}`).join(" and ");
}

/**
 * The contract that an existing table amounts to: its types, lengths, NOT NULL, keys, checks and
 * foreign keys. Throws `no-table`.
 */
export async function describeTable(db: Queryable, schema: string, table: string): Promise<Taken> {
  const name = ident(schema, table);
  const foreign = !OWN_SCHEMAS.includes(schema) && !schema.startsWith("pg_");
  const columns = foreign && (await needRights(db, schema, table)) ? await targetColumns(db, name) : [];
  if (columns.length === 0) {
    throw new SieveError("no-table", `There is no table ${schema}.${table} that could be a target.`, {
      hint: "Choose one of the tables that are listed.",
    });
  }
  const rules: TableRule[] = [];
  for (const rule of await tableRules(db, name)) {
    rules.push({ ...rule, values: rule.kind === "foreign" ? await valuesOf(db, name, rule) : undefined });
  }
  return contractOfTable(columns, rules);
}

/** What a foreign key of one text column leads to, where that is not too much. */
async function valuesOf(db: Queryable, table: string, rule: TableRule): Promise<string[] | undefined> {
  if (rule.columns.length !== 1) return undefined;
  const { rows } = await db.query<{ other: string; column: string }>(
    `select k.confrelid::regclass::text as other, b.attname as column
     from pg_constraint k join pg_attribute b on b.attrelid = k.confrelid and b.attnum = k.confkey[1]
     where k.conrelid = to_regclass($1) and k.conname = $2`,
    [table, rule.name],
  );
  // The name comes from the database, quoted where need be.
  const { rows: values } = await db.query<{ value: string }>(
    `select ${ident(rows[0]!.column)}::text as value from ${rows[0]!.other} order by 1 limit ${MOST_VALUES + 1}`,
  );
  return values.length > MOST_VALUES ? undefined : values.map((v) => v.value);
}
