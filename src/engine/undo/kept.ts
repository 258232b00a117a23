import type { Plan } from "@/core/plan/document.ts";
import { targetPlans } from "@/core/plan/further.ts";
import type { Client, Queryable } from "@/store/db.ts";
import { getLoad } from "@/store/loads.ts";
import { retentionOf } from "@/store/retention.ts";
import { getWriting, type Writing as Written } from "@/store/writings.ts";
import { victimsOf } from "./rows.ts";
import { tableOf } from "../writing/target.ts";
import { undoTable } from "../writing/writing.ts";

/**
 * Drops the rows that are kept for loads of a plan's targets that are too long ago by the feed's retention, and for what
 * was written before them. Returns of how many writings.
 */
export async function pruneUndo(client: Client, plan: Plan): Promise<number> {
  let writings = 0;
  for (const own of targetPlans(plan)) writings += await pruneTarget(client, own);
  return writings;
}

async function pruneTarget(client: Client, plan: Plan): Promise<number> {
  const { undoLoads } = await retentionOf(client, plan.feed);
  const { rows: last } = await client.query<{ turn: number }>(
    `select turn from sieve.writing where target = $1 and kind = 'load' order by turn desc offset $2 limit 1`,
    [tableOf(plan), undoLoads - 1],
  );
  const oldest = last[0]?.turn;
  if (oldest === undefined) return 0;
  const { rows: old } = await client.query<{ id: number }>(
    `select w.id from sieve.writing w
     where w.target = $1 and w.turn < $2 and to_regclass(format('undo.%I', 'writing ' || w.id)) is not null`,
    [tableOf(plan), oldest],
  );
  for (const { id } of old) await client.query(`drop table ${undoTable(id)}`);
  const { rows } = await client.query<{ n: number }>(
    `with gone as (delete from sieve.row_before
       where writing in (select id from sieve.writing where target = $1 and turn < $2) returning writing)
     select count(distinct writing)::int as n from gone`,
    [tableOf(plan), oldest],
  );
  return old.length + rows[0]!.n;
}

/** That the writing `w` of the plan `p` replaced all rows of its target, as the plan has it for that table, and not slices of them. */
const REPLACES = `(select x.target->>'mode' = 'replace' and x.target->'slice' is null from (
    select p.document->'load' as target union all select jsonb_array_elements(p.document->'load'->'further')) x
  where format('"%s"."%s"', coalesce(x.target->>'schema', 'target'), x.target->>'target') = w.target limit 1)`;

/** What stands in the way of undoing a writing; null where nothing does. */
export async function cannotUndoWriting(db: Queryable, w: Written): Promise<{ message: string; hint: string } | null> {
  if (w.undoneBy !== null) {
    const undo = await getWriting(db, w.undoneBy);
    if (undo.leftRows === 0) {
      return { message: `Writing ${w.id} was undone by writing ${undo.id}.`, hint: "That one can be undone in turn." };
    }
  }
  const { rows: replaced } = await db.query<{ load: number }>(
    `select w.load from sieve.writing w join sieve.plan p on p.id = w.plan
     where w.target = $1 and w.turn > $2 and w.kind = 'load' and w.undone_by is null and ${REPLACES}
     order by w.turn limit 1`,
    [w.target, w.turn],
  );
  if (replaced[0]) {
    return {
      message: `Load ${replaced[0].load} has replaced all of ${w.target.replaceAll('"', "")} since.`,
      hint: "Nothing of what was there before is left to be undone; undo that load first.",
    };
  }
  // The first, from this one on, that changed rows which are not kept as they were.
  const { rows } = await db.query<{ id: number; undo: string | null }>(
    `select w.id, p.document->'load'->>'undo' as undo from sieve.writing w join sieve.plan p on p.id = w.plan
     where w.target = $1 and w.turn >= $2 and w.updated + w.removed > 0
       and to_regclass(format('undo.%I', 'writing ' || w.id)) is null
       and not exists (select from sieve.row_before b where b.writing = w.id)
     order by w.turn limit 1`,
    [w.target, w.turn],
  );
  const [lost] = rows;
  if (!lost) return null;
  return {
    message:
      lost.id === w.id
        ? `The rows that ${w.kind === "load" ? `load ${w.load}` : `writing ${w.id}`} changed are not kept as they were.`
        : `What writing ${lost.id} changed since is not kept, so it can't be told which rows are still as they were.`,
    hint:
      lost.undo === "false"
        ? "The plan says that its loads are not to be undone."
        : `They are kept for the last ${(await retentionOf(db, w.feed)).undoLoads} loads of a target.`,
  };
}

/** What stands in the way of undoing a writing, or one that is undone with it; null where nothing does. */
export async function cannotUndoAny(
  db: Queryable,
  main: Written,
  victims: readonly Written[],
): Promise<{ message: string; hint: string } | null> {
  for (const w of [main, ...victims.filter((v) => v.id !== main.id && v.target !== main.target)]) {
    const fault = await cannotUndoWriting(db, w);
    if (fault) return fault;
  }
  return null;
}

/** What stands in the way of undoing a load; null where nothing does. */
export async function cannotUndo(db: Queryable, id: number): Promise<{ message: string; hint: string } | null> {
  const load = await getLoad(db, id);
  if (load.kind !== "load" || (load.state !== "loaded" && load.state !== "undone")) {
    return {
      message: `Load ${id} is ${load.state}, so there is nothing to undo.`,
      hint: "Only a load that was loaded can be undone.",
    };
  }
  const { rows } = await db.query("select from sieve.writing where id = $1", [load.writing]);
  if (load.writing === null || rows.length === 0) {
    return {
      message: `Load ${id} is from before it was noted what each load finds, so it can't be told what would come back.`,
      hint: "Mend the target by hand, or load a corrected delivery.",
    };
  }
  const own = await getWriting(db, load.writing);
  const fault = await cannotUndoAny(db, own, await victimsOf(db, own));
  if (fault && load.state === "undone") return { message: `Load ${id} is undone.`, hint: fault.hint };
  return fault;
}
