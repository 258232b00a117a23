import { assertCopied, type CopyCounts } from "@/core/plan/copies.ts";
import type { Queryable } from "./db.ts";

/** A copy of a target in another database. */
export interface KeptCopy {
  readonly id: number;
  /** The target's quoted name. */
  readonly target: string;
  readonly connection: string;
  readonly schema: string;
  readonly table: string;
  readonly others: "refuse" | "leave";
  readonly filled: boolean;
}

const COPY = "id, target, connection, schema_there as schema, table_there as table, others, filled";

/** Writes down which copies the targets of a feed's plan have from now on: those that it no longer has are no longer kept. */
export async function setCopies(
  db: Queryable,
  feed: string,
  wanted: readonly Omit<KeptCopy, "id" | "filled">[],
): Promise<void> {
  const have = await copiesOfFeed(db, feed);
  if (wanted.length === 0 && have.length === 0) return;
  await db.query(
    `with wanted as (select * from jsonb_to_recordset($2::jsonb) as x (target text, connection text, schema text, "table" text, others text)),
     gone as (delete from sieve.target_copy c where feed = $1 and not exists (select from wanted w
       where (w.target, w.connection, w.schema, w."table") = (c.target, c.connection, c.schema_there, c.table_there)))
     insert into sieve.target_copy (feed, target, connection, schema_there, table_there, others)
     select $1, target, connection, schema, "table", others from wanted
     on conflict (target, connection, schema_there, table_there) do update set others = excluded.others`,
    [feed, JSON.stringify(wanted)],
  );
}

export async function copiesOfFeed(db: Queryable, feed: string): Promise<KeptCopy[]> {
  return (await db.query<KeptCopy>(`select ${COPY} from sieve.target_copy where feed = $1 order by id`, [feed])).rows;
}

export async function copiesOfTarget(db: Queryable, target: string): Promise<KeptCopy[]> {
  return (await db.query<KeptCopy>(`select ${COPY} from sieve.target_copy where target = $1 order by id`, [target]))
    .rows;
}

/** All connections by which copies are kept. */
export async function copyConnections(db: Queryable): Promise<string[]> {
  const { rows } = await db.query<{ connection: string }>(
    `select connection from sieve.target_copy union select connection from sieve.copied where not settled order by 1`,
  );
  return rows.map((r) => r.connection);
}

/**
 * By what this store is known in other databases, as it is in this database on this server: one that was restored from a
 * dump must not end what the first one has begun.
 */
export async function storeMark(db: Queryable): Promise<string> {
  const { rows } = await db.query<{ mark: string }>(
    `select left(encode(sha256(convert_to(concat_ws(' ', s.id, c.system_identifier, current_database()), 'UTF8')), 'hex'), 8) as mark
     from sieve.store s, pg_control_system() c`,
  );
  return rows[0]!.mark;
}

/** Writes down what a writing did to a copy. */
export async function putCopied(db: Queryable, writing: number, counts: CopyCounts): Promise<void> {
  assertCopied(counts);
  await db.query(
    `insert into sieve.copied (writing, connection, table_there, how, inserted, updated, unchanged, removed, left_rows)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
    [
      writing,
      counts.connection,
      counts.table,
      counts.how,
      counts.inserted,
      counts.updated,
      counts.unchanged,
      counts.removed,
      counts.left,
    ],
  );
}

/** Says that the other database has committed all that it was given by some writings, or by all but some. */
export async function settleCopied(
  db: Queryable,
  connection: string,
  { but = [], only }: { readonly but?: readonly number[]; readonly only?: readonly number[] },
): Promise<void> {
  await db.query(
    `update sieve.copied set settled = true where connection = $1 and not settled and not writing = any($2) and ($3::int[] is null or writing = any($3))`,
    [connection, but, only ?? null],
  );
}

/** What writings did to copies, a line for each, the latest writing first. */
export interface Copied extends Omit<CopyCounts, "rows"> {
  readonly writing: number;
  readonly settled: boolean;
}

/** What the writings about some load's records did to copies of their targets. */
export async function copiedOfLoad(db: Queryable, load: number): Promise<Copied[]> {
  const { rows } = await db.query<Copied>(
    `select c.writing, replace(w.target, '"', '') as target, c.connection, c.table_there as table, c.how, c.inserted, c.updated, c.unchanged,
       c.removed, c.left_rows as left, c.settled
     from sieve.copied c join sieve.writing w on w.id = c.writing where w.load = $1 order by w.turn desc, c.connection, c.table_there`,
    [load],
  );
  return rows;
}
