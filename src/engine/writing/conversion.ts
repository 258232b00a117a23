import { Heap, cellText, emptyCells } from "@/core/kernel/bytes.ts";
import type { Field } from "@/core/field/field.ts";
import { typePart } from "@/core/type/index.ts";
import { ident, type Client, type Queryable } from "@/store/db.ts";

/** A column of a target that is to have another type, and what becomes of the values that are there. */
export interface Conversion {
  readonly field: string;
  readonly from: string;
  readonly to: string;
  /** Different values, in the target and in the rows that are kept for an undo. */
  readonly values: number;
  /** Those of them that the type writes otherwise, and one of them. */
  readonly rewritten: number;
  readonly example: { readonly from: string; readonly to: string } | null;
  /** Different values that the type does not take, some of them, and the rows of the target that have one. */
  readonly misfits: number;
  readonly rows: number;
  readonly some: readonly { readonly value: string; readonly rows: number }[];
}

const MOST_SHOWN = 5;
/** Values that are taken from the database, and written to it, at once. */
const AT_ONCE = 20_000;

/** A field as its column's values are read: what the database writes is always understood. */
function asStored(field: Field): Field {
  if (field.type === "date" || field.type === "timestamp") {
    return { ...field, formats: [...(field.formats ?? []), "yyyy-MM-dd", "yyyy-MM-dd HH:mm:ss"] };
  }
  if (field.type === "boolean" && field.words) {
    const { yes, no } = field.words;
    return { ...field, words: { yes: [...yes, "true"], no: [...no, "false"] } };
  }
  return field;
}

/** What a type makes of texts: null for what it does not take, "" for what is empty. */
function converted(field: Field, texts: readonly string[]): (string | null)[] {
  const heap = new Heap(new Uint8Array(1 << 16), 0);
  const cells = emptyCells(texts.length);
  texts.forEach((text, r) => {
    cells.start[r] = heap.append(text);
    cells.end[r] = heap.length;
  });
  const bad = new Int32Array(texts.length);
  const failed = new Set(bad.subarray(0, typePart(field.type).convert(field)(heap, cells, texts.length, bad)));
  // The database would cut what is too long for its column, and say nothing.
  const most = field.sized ? (field.length ?? Infinity) : Infinity;
  return texts.map((text, r) => (failed.has(r) || [...text].length > most ? null : cellText(heap, cells, r)));
}

/** A column's value as the text that is converted: numbers without zeros at their end, which say nothing. */
function textOf(expression: string, type: string): string {
  return type.startsWith("numeric") ? `trim_scale(${expression}::numeric)::text` : `${expression}::text`;
}

/** The tables in which rows of a target are kept for an undo, and that have a column. */
async function keptTables(db: Queryable, table: string, column: string): Promise<string[]> {
  const { rows } = await db.query<{ kept: string }>(
    `select k.oid::regclass::text as kept from sieve.writing w
     join pg_class k on k.oid = to_regclass(format('undo.%I', 'writing ' || w.id))
     join pg_attribute a on a.attrelid = k.oid and a.attname = $2 and not a.attisdropped
     where w.target = $1`,
    [table, column],
  );
  return rows.map((r) => r.kept);
}

/** Rows of a target that are kept for an undo one by one, as an alias `b` of which a condition holds. */
const KEPT_ROWS = "sieve.row_before b where b.writing in (select id from sieve.writing where target = $1)";

/** All values of a column, those that are kept for an undo too, as a query of `v` and `rows`; `$1` is the table. */
async function valuesOf(
  db: Queryable,
  table: string,
  { field, from }: { field: string; from: string },
): Promise<string> {
  const own = ident(field);
  const kept = await keptTables(db, table, field);
  const parts = [
    `select ${textOf(`t.${own}`, from)} as v, count(*) as n from ${table} t where t.${own} is not null group by 1`,
    ...kept.map((k) => `select distinct ${textOf(`i.${own}`, from)}, 0 from ${k} i where i.${own} is not null`),
    `select distinct ${textOf(`(b.document->>'${field}')`, from)}, 0 from ${KEPT_ROWS} and b.document->>'${field}' is not null`,
  ];
  return `select v, sum(n)::int as rows from (${parts.join(" union all ")}) x group by v order by v`;
}

/** Calls back with values and what the field's type makes of them, some at a time. */
async function eachValue(
  db: Queryable,
  table: string,
  field: Field,
  from: string,
  take: (values: readonly { v: string; rows: number }[], made: readonly (string | null)[]) => Promise<void> | void,
): Promise<void> {
  const { rows } = await db.query<{ v: string; rows: number }>(await valuesOf(db, table, { field: field.name, from }), [
    table,
  ]);
  const stored = asStored(field);
  for (let at = 0; at < rows.length; at += AT_ONCE) {
    const values = rows.slice(at, at + AT_ONCE);
    await take(
      values,
      converted(
        stored,
        values.map((r) => r.v),
      ),
    );
  }
}

/**
 * Tries what would become of a column's values in a field's type, without changing anything.
 * @param table the target's quoted name
 * @param from the type that the column has
 */
export async function tryConversion(db: Queryable, table: string, field: Field, from: string): Promise<Conversion> {
  let [all, rewritten, misfits, inRows] = [0, 0, 0, 0];
  let example: Conversion["example"] = null;
  const some: { value: string; rows: number }[] = [];
  await eachValue(db, table, field, from, (values, made) => {
    all += values.length;
    values.forEach(({ v, rows }, i) => {
      const to = made[i];
      if (to === null || to === undefined) {
        misfits++;
        inRows += rows;
        if (some.length < MOST_SHOWN) some.push({ value: v, rows });
      } else if (to !== v) {
        rewritten++;
        example ??= { from: v, to };
      }
    });
  });
  const to = typePart(field.type).sql(field);
  return { field: field.name, from, to, values: all, rewritten, example, misfits, rows: inRows, some };
}

/** The function that gives what becomes of a value; it is there for one alteration. */
const functionOf = (field: string): string => `pg_temp.${ident(`as ${field}`)}`;

/** The alteration of the target itself, as it is shown and as it is run. */
export function conversionSql(
  table: string,
  { field, from, to, rewritten }: Omit<Conversion, "some" | "example">,
): string {
  const own = textOf(ident(field), from);
  const value = rewritten > 0 ? `${functionOf(field)}(${own})` : `nullif(${own}, '')::${to}`;
  return `alter table ${table} alter column ${ident(field)} type ${to} using ${value}`;
}

/** Makes the function that the alteration asks, from what the field's type makes of each value. */
export async function beginConversion(
  client: Client,
  table: string,
  field: Field,
  { from, to }: Conversion,
): Promise<void> {
  const names = ident(`from ${field.name}`);
  await client.query(`create temp table ${names} (v text primary key, made text) on commit drop`);
  await eachValue(client, table, field, from, async (values, made) => {
    const changed = values.flatMap(({ v }, i) => (made[i] === v ? [] : [{ v, made: made[i] ?? null }]));
    await client.query(`insert into ${names} select * from unnest($1::text[], $2::text[])`, [
      changed.map((c) => c.v),
      changed.map((c) => c.made),
    ]);
  });
  await client.query(`analyze ${names}`);
  await client.query(
    `create or replace function ${functionOf(field.name)}(own text) returns ${to} language sql stable as $$
       select nullif(case when c.v is null then own else c.made end, '')::${to}
       from (select own) o left join pg_temp.${names} c on c.v = o.own $$`,
  );
}

/** Brings the rows that are kept for an undo to the column's new type, and takes the function away. */
export async function endConversion(client: Client, table: string, { field, from, to }: Conversion): Promise<void> {
  const own = ident(field);
  for (const kept of await keptTables(client, table, field)) {
    await client.query(
      `alter table ${kept} alter column ${own} type ${to} using ${functionOf(field)}(${textOf(own, from)})`,
    );
  }
  const text = textOf(`(b.document->>'${field}')`, from);
  await client.query(
    `update sieve.row_before b set document = (b.document::jsonb || jsonb_build_object('${field}', to_jsonb(${functionOf(field)}(${text}))))::json
     where b.writing in (select id from sieve.writing where target = $1) and b.document->>'${field}' is not null`,
    [table],
  );
  await client.query(`drop function ${functionOf(field)}(text)`);
  await client.query(`drop table ${ident(`from ${field}`)}`);
}

/** Views, rules and foreign keys that hang on a column, in words: it can't have another type while they do. */
export async function hangsOn(db: Queryable, table: string, column: string): Promise<string[]> {
  const { rows } = await db.query<{ says: string }>(
    `select distinct 'the view ' || r.ev_class::regclass::text as says
     from pg_attribute a
     join pg_depend d on d.refclassid = 'pg_class'::regclass and d.refobjid = a.attrelid and d.refobjsubid = a.attnum
       and d.classid = 'pg_rewrite'::regclass
     join pg_rewrite r on r.oid = d.objid
     where a.attrelid = to_regclass($1) and a.attname = $2
     union
     select 'the foreign key ' || k.conname from pg_constraint k
     join pg_attribute a on a.attname = $2 and a.attrelid = to_regclass($1)
     where k.contype = 'f' and ((k.conrelid = a.attrelid and a.attnum = any(k.conkey))
       or (k.confrelid = a.attrelid and a.attnum = any(k.confkey)))
     order by 1`,
    [table, column],
  );
  return rows.map((r) => r.says);
}
