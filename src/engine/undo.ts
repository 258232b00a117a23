import { compilePlan } from "@/core/plan/compile.ts";
import type { Plan } from "@/core/plan/schema.ts";
import { SieveError, counted } from "@/core/problem.ts";
import { byPlace, ident, transaction, type Client, type Db, type Queryable } from "@/store/db.ts";
import { getPlan } from "@/store/feeds.ts";
import { getLoad, needReason, releaseClaim } from "@/store/loads.ts";
import { revertDecisions } from "./decide.ts";
import { tableOf, targetColumns } from "./target.ts";

/** Loads of a feed that can be undone although they changed rows that were there; of older ones those rows are not kept. */
const KEPT_LOADS = 5;

const UNDO = "undo";
const undoTable = (load: number): string => ident(UNDO, `load ${load}`);

/** Whether rows of the target are kept as they were before the plan's loads change them. */
export function keepsBefore(plan: Plan): boolean {
  return plan.load.undo !== false;
}

/** Drops what an attempt at a load kept that came to no end. */
export async function dropKept(db: Queryable, load: number): Promise<void> {
  await db.query(`drop table if exists ${undoTable(load)}`);
}

/** Makes the place for rows as they were, with the target's columns. The target must be there. */
async function makeUndo(client: Client, load: number, plan: Plan): Promise<string> {
  const table = undoTable(load);
  await client.query(`create table if not exists ${table} (like ${tableOf(plan)})`);
  return table;
}

/** Whether anything is kept for a load. */
async function isKept(db: Queryable, load: number): Promise<boolean> {
  const { rows } = await db.query<{ there: boolean }>("select to_regclass($1) is not null as there", [undoTable(load)]);
  return rows[0]!.there;
}

/** Adds rows of the target to what is kept. `from`: where the target's rows `t` are chosen. */
async function addKept(client: Client, load: number, plan: Plan, from: string, params: unknown[] = []): Promise<void> {
  const columns = (await targetColumns(client, tableOf(plan))).filter((c) => !c.computed).map((c) => ident(c.name));
  await client.query(
    `insert into ${undoTable(load)} (${columns.join(", ")}) select ${columns.map((c) => `t.${c}`).join(", ")} ${from}`,
    params,
  );
}

/** Keeps the target's rows at some places as they are; `places` is a query that gives them as `place`. */
export async function keepRows(
  client: Client,
  load: number,
  plan: Plan,
  places: string,
  params: unknown[] = [],
): Promise<void> {
  if (!keepsBefore(plan)) return;
  await makeUndo(client, load, plan);
  await byPlace(client, () =>
    addKept(client, load, plan, `from ${tableOf(plan)} t join (${places}) p on t.ctid = p.place`, params),
  );
}

/**
 * Keeps the target's rows at some places as they are, faster where the load has kept none before.
 * `places` is a query that gives them as `place`, and the table that has them as `part`.
 */
export async function keepFirstRows(client: Client, load: number, plan: Plan, places: string): Promise<void> {
  if (await isKept(client, load)) return await keepRows(client, load, plan, places);
  await byPlace(client, () =>
    client.query(
      `create table ${undoTable(load)} as select t.* from (${places}) p
         join ${tableOf(plan)} t on t.ctid = p.place and t.tableoid = p.part`,
    ),
  );
}

/** Keeps one row as it is, unless the load has kept it before. Only a row of another load is worth that. */
export async function keepRowOnce(client: Client, load: number, plan: Plan, place: string): Promise<void> {
  if (!keepsBefore(plan)) return;
  const table = await makeUndo(client, load, plan);
  await keepRows(
    client,
    load,
    plan,
    `select $1::tid as place from ${tableOf(plan)} r where r.ctid = $1::tid and r._load <> $2
       and not exists (select from ${table} u where u._load = r._load and u._record = r._record)`,
    [place, load],
  );
}

/** Keeps all of the target's rows, before a load replaces them. */
export async function keepAll(client: Client, load: number, plan: Plan): Promise<void> {
  if (!keepsBefore(plan)) return;
  await client.query(`create table ${undoTable(load)} as table ${tableOf(plan)}`);
}

/** Keeps the target's table itself, as another takes its place; where there is none, that there was none. */
export async function keepTable(client: Client, load: number, plan: Plan): Promise<void> {
  const there = (await targetColumns(client, tableOf(plan))).length > 0;
  // Where rows are only added, the table whose place is taken is empty.
  if (!keepsBefore(plan) || plan.load.mode !== "replace") {
    await client.query(`drop table if exists ${tableOf(plan)}`);
    return;
  }
  if (!there) {
    await client.query(`create table ${undoTable(load)} ()`);
    return;
  }
  // Its key's index would stand in the way of the next one that is kept.
  const { rows } = await client.query<{ name: string }>(
    "select conname as name from pg_constraint where conrelid = to_regclass($1) and contype = 'p'",
    [tableOf(plan)],
  );
  if (rows[0]) await client.query(`alter table ${tableOf(plan)} drop constraint ${ident(rows[0].name)}`);
  await client.query(`alter table ${tableOf(plan)} set schema ${ident(UNDO)}`);
  await client.query(`alter table ${ident(UNDO, plan.load.target)} rename to ${ident(`load ${load}`)}`);
}

/** Drops what is kept for loads of a feed that are too long ago. */
export async function pruneUndo(client: Client, feed: string): Promise<void> {
  const { rows } = await client.query<{ id: number }>(
    `select l.id from sieve.load l where l.feed = $1 and to_regclass(format('undo.%I', 'load ' || l.id)) is not null
     order by l.id desc offset $2`,
    [feed, KEPT_LOADS],
  );
  for (const { id } of rows) await client.query(`drop table ${undoTable(id)}`);
}

/** What stands in the way of undoing a load; null where nothing does. */
export async function cannotUndo(db: Queryable, id: number): Promise<{ message: string; hint: string } | null> {
  const load = await getLoad(db, id);
  if (load.kind !== "load" || load.state !== "loaded") {
    return {
      message: `Load ${id} is ${load.state}, so there is nothing to undo.`,
      hint: "Only a load that was loaded can be undone.",
    };
  }
  const { document: plan } = await getPlan(db, load.plan);
  const { rows: later } = await db.query<{ id: number; feed: string }>(
    `select l.id, l.feed from sieve.load l join sieve.plan p on p.id = l.plan
     where l.kind = 'load' and l.state = 'loaded' and l.ended_at > (select ended_at from sieve.load where id = $1)
       and p.document->'load'->>'target' = $2 and coalesce(p.document->'load'->>'schema', '') = $3
     order by l.ended_at desc`,
    [id, plan.load.target, plan.load.schema ?? ""],
  );
  if (later[0]) {
    return {
      message: `${counted(later.length, "load")} went into the same target since, the last of them load ${later[0].id}.`,
      hint: `Undo ${later.length === 1 ? "that one" : "those"} first, the last one first.`,
    };
  }
  if (await changedRows(db, load.id, plan, load)) {
    return {
      message: `The rows that load ${id} changed are not kept as they were.`,
      hint: keepsBefore(plan)
        ? `They are kept for the last ${KEPT_LOADS} loads of a feed.`
        : "The plan says that its loads are not to be undone.",
    };
  }
  return null;
}

/** Whether the load changed rows that were there, and they are not kept. */
async function changedRows(
  db: Queryable,
  id: number,
  plan: Plan,
  load: { updated: number | null; merged: number | null },
): Promise<boolean> {
  const needs =
    plan.load.mode === "replace" ||
    (load.updated ?? 0) > 0 ||
    ((load.merged ?? 0) > 0 && plan.match?.against.includes("target") === true);
  if (!needs) return false;
  return !(await isKept(db, id));
}

/** What an undo did to the target. */
export interface Undone {
  /** Rows that went, and rows that are again as they were. */
  readonly removed: number;
  readonly restored: number;
}

/**
 * Undoes a load as a whole: its rows go from the target, rows that it changed or replaced are as they
 * were, what it holds is discarded, and its bytes may be loaded again. All in one transaction. Throws
 * `cannot-undo` where a later load stands on it.
 */
export async function undoLoad(db: Db, id: number, reason: string, by: string): Promise<Undone> {
  needReason(reason);
  return await transaction(db, async (client) => {
    const load = await getLoad(client, id);
    await client.query("select 1 from sieve.feed where name = $1 for update", [load.feed]);
    const { document } = await getPlan(client, load.plan);
    const { plan } = compilePlan(document);
    const table = tableOf(plan);
    if ((await targetColumns(client, table)).length > 0) {
      await client.query(`lock table ${table} in share row exclusive mode`);
    }
    const fault = await cannotUndo(client, id);
    if (fault) throw new SieveError("cannot-undo", fault.message, { hint: fault.hint });
    await revertDecisions(client, id, by);
    const undone = await restore(client, id, plan);
    const words = `load ${id} was undone: ${reason}`;
    await client.query(
      `update sieve.held set state = 'discarded', reason = $2, ended_by = $3, ended_at = now() where load = $1 and state <> 'discarded'`,
      [id, words, by],
    );
    await client.query("delete from sieve.match_pair where load = $1", [id]);
    await client.query("delete from sieve.waiting where load = $1", [id]);
    await client.query(
      "update sieve.load set state = 'undone', undone = $2, undone_by = $3, undone_at = now() where id = $1",
      [id, reason.trim(), by],
    );
    await releaseClaim(client, id);
    return undone;
  });
}

async function restore(client: Client, id: number, plan: Plan): Promise<Undone> {
  const table = tableOf(plan);
  const there = await targetColumns(client, table);
  if (there.length === 0) return { removed: 0, restored: 0 };
  const kept = await targetColumns(client, undoTable(id));
  const whole = plan.load.mode === "replace";
  let { rowCount: removed } = await client.query(
    whole ? `delete from ${table}` : `delete from ${table} where _load = $1`,
    whole ? [] : [id],
  );
  let restored = 0;
  if (kept.length > 0) {
    // A row whose values were merged has kept its place; it is known by its key, or by where it came from.
    const same = (plan.load.key.length > 0 ? plan.load.key : ["_load", "_record"]).map(
      (k) => `t.${ident(k)} = u.${ident(k)}`,
    );
    if (!whole) {
      const { rowCount } = await client.query(
        `delete from ${table} t using ${undoTable(id)} u where ${same.join(" and ")}`,
      );
      removed = (removed ?? 0) + (rowCount ?? 0);
    }
    const computed = new Set(there.filter((c) => c.computed).map((c) => c.name));
    const columns = kept.filter((c) => !computed.has(c.name)).map((c) => ident(c.name));
    const { rowCount } = await client.query(
      `insert into ${table} (${columns.join(", ")}) select ${columns.join(", ")} from ${undoTable(id)}`,
    );
    restored = rowCount ?? 0;
  }
  await client.query(`drop table if exists ${undoTable(id)}`);
  return { removed: removed ?? 0, restored };
}
