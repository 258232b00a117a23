import { SieveError } from "@/core/kernel/problem.ts";
import { ident, type Client, type Queryable } from "./db.ts";

/** What asks for a change of a target. */
export type WritingKind = "load" | "release" | "decision" | "split" | "put back" | "join" | "undo";

/** One change of a target: numbered, with who, when and why, and what it did to the rows. */
export interface Writing {
  readonly id: number;
  /** Its place in the order in which writings were done, which need not be that of their numbers. */
  readonly turn: number;
  readonly kind: WritingKind;
  readonly feed: string;
  /** The table's quoted name. */
  readonly target: string;
  /** Whose records it wrote. */
  readonly load: number;
  readonly plan: number;
  /** The number that writings of one act share. */
  readonly act: number;
  readonly undoes: number | null;
  readonly undoneBy: number | null;
  readonly by: string;
  readonly reason: string;
  readonly at: Date;
  readonly inserted: number;
  readonly updated: number;
  readonly removed: number;
  /** Of an undo: rows that it left as they are. */
  readonly leftRows: number;
}

const WRITING = `w.id, w.turn, w.kind, w.feed, w.target, w.load, w.plan, w.act, w.undoes, w.undone_by as "undoneBy", w.made_by as by, w.reason,
  w.made_at as at, w.inserted, w.updated, w.removed, w.left_rows as "leftRows"`;

/** Throws `no-writing`. */
export async function getWriting(db: Queryable, id: number): Promise<Writing> {
  const { rows } = await db.query<Writing>(`select ${WRITING} from sieve.writing w where w.id = $1`, [id]);
  if (!rows[0]) throw new SieveError("no-writing", `There is no writing ${id}.`, { hint: "Check the number." });
  return rows[0];
}

/** Which writings are meant. */
export interface WritingFilter {
  readonly feed?: string | undefined;
  readonly load?: number | undefined;
  readonly target?: string | undefined;
}

/** Writings, the latest first. */
export async function listWritings(db: Queryable, filter: WritingFilter, limit = 100): Promise<Writing[]> {
  const { rows } = await db.query<Writing>(
    `select ${WRITING} from sieve.writing w
     where ($1::text is null or w.feed = $1) and ($2::int is null or w.load = $2) and ($3::text is null or w.target = $3)
     order by w.turn desc limit $4`,
    [filter.feed ?? null, filter.load ?? null, filter.target ?? null, limit],
  );
  return rows;
}

/** Writings that changed rows for a load's records after the load itself and still stand, the latest first. */
export async function standingAfter(db: Queryable, writing: Writing): Promise<Writing[]> {
  const { rows } = await db.query<Writing>(
    `select ${WRITING} from sieve.writing w
     where w.load = $1 and w.turn > $2 and w.kind <> 'undo' and w.undone_by is null order by w.turn desc`,
    [writing.load, writing.turn],
  );
  return rows;
}

/** The writings of one act, the latest first. */
export async function ofAct(db: Queryable, act: number): Promise<Writing[]> {
  const { rows } = await db.query<Writing>(
    `select ${WRITING} from sieve.writing w where w.act = $1 and w.undone_by is null order by w.turn desc`,
    [act],
  );
  return rows;
}

/** What was written to other targets with a writing, as far as it stands or its undo left rows, the latest first. */
export async function besideOf(db: Queryable, writing: Writing): Promise<Writing[]> {
  const { rows } = await db.query<Writing>(
    `select ${WRITING} from sieve.writing w
     where w.act = $1 and w.id <> $2 and w.kind = $3
       and (w.undone_by is null or exists (select from sieve.writing u where u.id = w.undone_by and u.left_rows > 0))
     order by w.turn desc`,
    [writing.act, writing.id, writing.kind],
  );
  return rows;
}

/** The turn of a writing, in SQL, by its number in SQL; 0 for none. */
export function turnOf(number: string): string {
  return `coalesce((select o.turn from sieve.writing o where o.id = ${number}), 0)`;
}

/** The next number of a writing. */
export async function nextWriting(db: Queryable): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "select nextval(pg_get_serial_sequence('sieve.writing', 'id'))::int as id",
  );
  return rows[0]!.id;
}

/** The number of the transaction that a client is in. */
export async function transactionNumber(client: Client): Promise<string> {
  const { rows } = await client.query<{ xid: string }>("select pg_current_xact_id()::text as xid");
  return rows[0]!.xid;
}

/** What is written down of a writing when it ends: the transactions that wrote its rows too. */
export type EndedWriting = Omit<Writing, "turn" | "undoneBy" | "at"> & { readonly xids: readonly string[] };

export async function putWriting(client: Queryable, w: EndedWriting): Promise<void> {
  await client.query(
    `insert into sieve.writing (id, kind, feed, target, load, plan, act, undoes, made_by, reason, xids, inserted, updated, removed, left_rows)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11::text[]::xid8[], $12, $13, $14, $15)`,
    [
      w.id,
      w.kind,
      w.feed,
      w.target,
      w.load,
      w.plan,
      w.act,
      w.undoes,
      w.by,
      w.reason,
      w.xids,
      w.inserted,
      w.updated,
      w.removed,
      w.leftRows,
    ],
  );
}

/**
 * The transactions that wrote rows of a target by writings, as a text of the database's type `xid[]`,
 * with more that are under way. A version of a row by any other is somebody else's.
 */
export async function ownTransactions(db: Queryable, target: string, more: readonly string[] = []): Promise<string> {
  const { rows } = await db.query<{ xid: string }>(
    `select distinct x::xid::text as xid from (
       select unnest(xids) as x from sieve.writing where target = $1 union all select unnest($2::text[]::xid8[])) u`,
    [target, more],
  );
  return `'{${rows.map((r) => r.xid).join(",")}}'::xid[]`;
}

/** Tables of the store that a writing changes beside the target: what tells one row, and what is changed in it. */
const NOTED = {
  held: { key: ["load", "record"], values: ["state", "mended", "reason", "ended_by", "ended_at", "writing"] },
  waiting: {
    key: ["load", "record"],
    values: ["state", "field_values", "before", "into_load", "into_record", "ended_by", "ended_at", "writing"],
  },
  match_pair: { key: ["id"], values: ["decision", "decided_by", "decided_at"] },
  match_decision: { key: ["feed", "low", "high"], values: ["decision", "decided_by", "decided_at"] },
  cluster: { key: ["load", "first"], values: ["members", "kept", "origins"] },
  loaded_file: { key: ["feed", "sha256"], values: ["load"] },
} as const;
export type Noted = keyof typeof NOTED;

const jsonOf = (names: readonly string[], alias: string): string =>
  `jsonb_build_object(${names.map((n) => `'${n}', ${alias}.${ident(n)}`).join(", ")})`;

/**
 * Notes rows of the store as they are before a writing changes them. `where` is about the row `r`; so are `wrote`, which
 * says of a record whether the writing wrote a row of the target for it, and `waits`, whether it put it to wait.
 */
export async function noteBefore(
  client: Queryable,
  writing: number,
  relation: Noted,
  where: string,
  { params = [], ...said }: { params?: readonly unknown[]; wrote?: string; waits?: string } = {},
): Promise<void> {
  const { key, values } = NOTED[relation];
  const more = Object.entries(said).map(([name, is]) => `'${name}', ${is}`);
  const whose = `${jsonOf(key, "r")}${more.length > 0 ? ` || jsonb_build_object(${more.join(", ")})` : ""}`;
  await client.query(
    `insert into sieve.store_before (writing, relation, key, was)
     select ${writing}, '${relation}', ${whose}, ${jsonOf(values, "r")} from sieve.${relation} r where ${where}`,
    [...params],
  );
}

/** A row of the store as notes keep it; null where it was not there. */
export interface NotedRow {
  readonly relation: Noted;
  readonly key: object;
  readonly was: object | null;
}

/** How a row of the store stands, as notes keep it; `key` has the columns that tell the relation's rows. */
export async function rowNow(client: Queryable, relation: Noted, key: Record<string, unknown>): Promise<NotedRow> {
  const { key: names, values } = NOTED[relation];
  const { rows } = await client.query<{ was: object }>(
    `select ${jsonOf(values, "r")} as was from sieve.${relation} r
     where ${names.map((n, i) => `r.${ident(n)} = $${i + 1}`).join(" and ")}`,
    names.map((n) => key[n]),
  );
  return { relation, key, was: rows[0]?.was ?? null };
}

/** Notes how rows of the store were that a writing has changed already, or that are not there yet. */
export async function noteRows(client: Queryable, writing: number, rows: readonly NotedRow[]): Promise<void> {
  await client.query(
    `insert into sieve.store_before (writing, relation, key, was)
     select ${writing}, relation, key, nullif(was, 'null') from jsonb_to_recordset($1::jsonb) as x (relation text, key jsonb, was jsonb)`,
    [JSON.stringify(rows)],
  );
}

/**
 * Puts back what a writing changed in the store, noting under another writing what stood there. `only`
 * limits it to rows of the store: a condition about what was noted, `b`; tables in `kept` stay as they are.
 */
export async function putStoreBack(
  client: Queryable,
  { undone, by, only = "true", kept = [] }: { undone: number; by: number; only?: string; kept?: readonly Noted[] },
): Promise<void> {
  const { rows } = await client.query<{ relation: Noted }>(
    "select distinct relation from sieve.store_before where writing = $1 order by 1",
    [undone],
  );
  for (const { relation } of rows) {
    if (kept.includes(relation)) continue;
    const { key, values } = NOTED[relation];
    const table = `sieve.${relation}`;
    // The first note of a row is how it was before the writing; a later one how it was in its midst.
    const before = `(select distinct on (b.key) b.key, b.was, jsonb_populate_record(null::${table}, b.was) as old, k.*
      from sieve.store_before b, jsonb_populate_record(null::${table}, b.key) k
      where b.writing = ${undone} and b.relation = '${relation}' and (${only}) order by b.key, b.id)`;
    const own = relation === "held" || relation === "waiting";
    // A record that something else has happened to since is that other thing's; so is one that a person has discarded.
    const discarded = relation === "held" ? ` and not (r.state = 'discarded' and b.was->>'state' = 'discarded')` : "";
    const mine = own ? ` and r.writing = ${undone}${discarded}` : "";
    const same = key.map((k) => `r.${ident(k)} = b.${ident(k)}`).join(" and ") + mine;
    await client.query(
      `insert into sieve.store_before (writing, relation, key, was)
       select ${by}, '${relation}', b.key, case when r.${ident(key[0])} is not null then ${jsonOf(values, "r")} end
       from ${before} b ${own ? "" : "left "}join ${table} r on ${same}`,
    );
    const set = values.map((v) => {
      // Of a record whose content has expired nothing is left that could be held again.
      if (relation === "held" && v !== "writing" && v !== "ended_by") {
        const gone = `r.expired_at is not null and (b.was->>'state') in ('held', 'overtaken')`;
        const instead: Record<string, string> = {
          state: `case when ${gone} then 'discarded' else (b.old).state end`,
          reason: `case when ${gone} then 'taken back, and what was in it had expired' else (b.old).reason end`,
          ended_at: `case when ${gone} then now() else (b.old).ended_at end`,
          mended: `case when r.expired_at is null then (b.old).mended end`,
        };
        if (instead[v]) return `${ident(v)} = ${instead[v]}`;
      }
      // Whose doing it is that a record is as it was: a record enters and leaves the target by writings alone.
      if (own && v === "writing")
        return `writing = case when (b.was->>'state') = 'released' then (b.was->>'writing')::int else ${by} end`;
      return `${ident(v)} = (b.old).${ident(v)}`;
    });
    await client.query(`update ${table} r set ${set.join(", ")} from ${before} b where ${same} and b.was is not null`);
    // A record that came to wait by the writing waits no more; what was asked about it stays to be read.
    if (relation === "waiting")
      await client.query(
        `update ${table} r set state = 'undone', writing = ${by}, ended_at = now() from ${before} b where ${same} and b.was is null`,
      );
    const names = [...key, ...values].map((n) => ident(n)).join(", ");
    if (relation === "match_decision" || relation === "cluster" || relation === "loaded_file") {
      await client.query(`delete from ${table} r using ${before} b where ${same} and b.was is null`);
      await client.query(
        `insert into ${table} (${names}) select ${names} from (
           select (jsonb_populate_record(null::${table}, b.key || b.was)).* from ${before} b where b.was is not null) n
         on conflict do nothing`,
      );
    }
  }
}
