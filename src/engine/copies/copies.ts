import { pipeline } from "node:stream/promises";
import { from as copyFrom, to as copyTo } from "pg-copy-streams";
import type { CopyCounts } from "@/core/plan/copies.ts";
import { ident, type Client, type Queryable } from "@/store/db.ts";
import { copiesOfTarget, putCopied, type KeptCopy } from "@/store/target-copies.ts";
import { ORIGIN, targetColumns } from "../writing/target.ts";
import { apply, makeBrought } from "./apply.ts";
import { farFault, fittedTable, type CopyShape, type Far } from "./far.ts";
import { CopySession } from "./session.ts";

/** What a copy of a target is to have; no columns where there is no target yet. */
export async function shapeOf(db: Queryable, target: string, key: readonly string[]): Promise<CopyShape> {
  return { columns: (await targetColumns(db, target)).filter((c) => !ORIGIN.includes(c.name)), key };
}

export const unquoted = (name: string): string => name.replaceAll('"', "");

/** The rows that a writing touched, as SQL: as they were before it, and as they are. */
interface Touched {
  readonly was: string;
  readonly now: string;
}

/** A writing that has ended, as far as a copy needs to know it. */
export interface EndedWriting {
  readonly client: Client;
  readonly id: number;
  /** The target's quoted name. */
  readonly table: string;
  readonly key: readonly string[];
  /** The quoted name of the table in which rows are that it changed, where those were many, and the column that says what was done. */
  readonly kept: string;
  readonly did: string;
}

/**
 * Finds what a writing touched. What it left as its own has its number; what it changed, removed or brought back is kept
 * as it was, the first time that it did so.
 */
async function touchedBy(
  { client, id, table, key, kept, did }: EndedWriting,
  names: readonly string[],
): Promise<Touched> {
  const list = (alias: string): string => names.map((n) => `${alias}.${ident(n)}`).join(", ");
  const keys = key.map((k) => ident(k)).join(", ");
  const have = await targetColumns(client, kept);
  const there = new Map((await targetColumns(client, table)).map((c) => [c.name, c.type]));
  // A column that the target has been given since has nothing in rows as they were.
  const old = names.map(
    (n) =>
      `${have.some((c) => c.name === n) ? `i.${ident(n)}::${there.get(n)}` : `null::${there.get(n)}`} as ${ident(n)}`,
  );
  const images =
    have.length > 0
      ? `select ${old.join(", ")}, i.${did} as did, i.ctid as place from ${kept} i`
      : `select ${list("r")}, b.did, b.ctid as place from sieve.row_before b, json_populate_record(null::${table}, b.document) r where b.writing = ${id}`;
  await client.query(
    `drop table if exists copy_images;
     create temp table copy_images on commit drop as select distinct on (${keys}) * from (${images}) i order by ${keys}, i.place;
     analyze copy_images`,
  );
  const same = key.map((k) => `i.${ident(k)} = t.${ident(k)}`).join(" and ");
  return {
    was: `select ${list("i")} from copy_images i where i.did <> 'made'`,
    now: `select ${list("t")} from ${table} t where t."_writing" = ${id} union all
      select ${list("t")} from ${table} t join copy_images i on ${same} where t."_writing" is distinct from ${id}`,
  };
}

/** Sends the rows of a query into a table of another database, as the same texts. */
export async function send(
  from: Client,
  query: string,
  far: Far,
  table: string,
  columns: readonly string[],
): Promise<void> {
  const into = far.query(copyFrom(`copy ${table} (${columns.map((c) => ident(c)).join(", ")}) from stdin`));
  await pipeline(from.query(copyTo(`copy (${query}) to stdout`)), into);
}

/**
 * Brings a writing that has ended into the copies of its target, in transactions that are committed together with the
 * one that it is in. Throws `copy-away`, `copy-unfit`, `copy-differs`, `copy-failed`, `not_written`.
 */
export async function copyOut(writing: EndedWriting): Promise<CopyCounts[]> {
  const { client, id, table, key } = writing;
  const copies = await copiesOfTarget(client, table);
  if (copies.length === 0) return [];
  const shape = await shapeOf(client, table, key);
  if (shape.columns.length === 0 || key.length === 0) return [];
  const names = shape.columns.map((c) => c.name);
  const touched = await touchedBy(writing, names);
  const none = names.map((n) => `t.${ident(n)}`).join(", ");
  const all = { was: `select ${none} from ${table} t limit 0`, now: `select ${none} from ${table} t` };
  const session = CopySession.of(client);
  const done: CopyCounts[] = [];
  for (const copy of copies) {
    const counts = await bring(session, { writing, copy, shape, rows: copy.filled ? touched : all });
    await putCopied(client, id, counts);
    if (!copy.filled) await client.query("update sieve.target_copy set filled = true where id = $1", [copy.id]);
    done.push(counts);
  }
  session.counts.push(...done);
  return done;
}

async function bring(
  session: CopySession,
  { writing, copy, shape, rows }: { writing: EndedWriting; copy: KeptCopy; shape: CopyShape; rows: Touched },
): Promise<CopyCounts> {
  const { client, id } = writing;
  const { connection } = copy;
  const place = [copy.schema, copy.table] as const;
  const along = await session.along(connection, id);
  const { beside, within, how, mark } = along;
  const shown = place.join(".");
  try {
    const table = await fittedTable(beside, connection, place, shape);
    const names = shape.columns.map((c) => c.name);
    const lasting = how === "in order";
    const about = { table, place, mark, writing: id, copy: copy.id, columns: names, key: shape.key, lasting };
    const brought = await makeBrought(beside, about);
    along.brought.push(brought);
    await send(client, rows.was, beside, brought.was, names);
    await send(client, rows.now, beside, brought.now, names);
    const { some: _, ...applied } = await apply(within, brought, { others: copy.others, connection });
    return { target: unquoted(writing.table), connection, table: shown, how, ...applied };
  } catch (error) {
    throw farFault(error, connection, `Changing ${shown}`);
  }
}
