import { type LeftBecause } from "@/core/kernel/writing.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { transaction, type Client, type Db, type Queryable } from "@/store/db.ts";
import { getPlan } from "@/store/feeds.ts";
import { getLoad, needReason } from "@/store/loads.ts";
import {
  getWriting,
  nextWriting,
  noteBefore,
  putStoreBack,
  type Noted,
  type Writing as Written,
  type WritingKind,
} from "@/store/writings.ts";
import {
  aboutOf,
  chooseRows,
  chosenOf,
  findRows,
  ofSeveral,
  planOf,
  victimsOf,
  writeRows,
  type OverChanged,
} from "./rows.ts";
import { cannotUndo, cannotUndoAny } from "./kept.ts";
import { leftWords } from "./words.ts";
import { targetColumns } from "../writing/target.ts";
import { Writing, lockTarget } from "../writing/writing.ts";

/** What one person decided about one record goes back as a whole, or not at all. Beside a load it goes back row by row. */
const WHOLE: ReadonlySet<WritingKind> = new Set(["decision", "split", "put back", "join"]);

/** What an undo did. */
export interface Undone {
  /** The number of the undo, which is a writing too; of several that of what was asked for. */
  readonly writing: number;
  /** Rows that went, and rows that are again as they were. */
  readonly removed: number;
  readonly restored: number;
  /** Rows that were left as they are. */
  readonly left: number;
}

/**
 * Undoes a writing, as far as what it wrote still stands: rows that it made go, rows that it changed are as they
 * were, by UPDATE and at their places, rows that it took away come back. A row that somebody has changed since is
 * left, unless `over` says otherwise; a row that another table refers to is always left. What hung on it in the
 * store goes back too: a released record is held again, a load's bytes may be loaded again. It is a writing
 * itself, so it can be undone. All in one transaction. Throws `cannot-undo` and `reason-missing`.
 */
export async function undoWriting(
  db: Db,
  id: number,
  { reason, by, over = "none" }: { reason: string; by: string; over?: OverChanged },
): Promise<Undone> {
  needReason(reason);
  return await transaction(db, async (client) => {
    const main = await getWriting(client, id);
    await lockTarget(client, main.feed, (await getPlan(client, main.plan)).document);
    return await undoLocked(client, id, { reason, by, over });
  });
}

/** The same within a transaction that has the target locked. */
export async function undoLocked(
  client: Client,
  id: number,
  { reason, by, over = "none" }: { reason: string; by: string; over?: OverChanged },
): Promise<Undone> {
  const main = await getWriting(client, id);
  const victims = await victimsOf(client, main);
  const fault = await cannotUndoAny(client, main, victims);
  if (fault) throw new SieveError("cannot-undo", fault.message, { hint: fault.hint });
  const act = await nextWriting(client);
  const total = { writing: act, removed: 0, restored: 0, left: 0 };
  const whole = victims.length === 1 && WHOLE.has((await firstOf(client, main)).kind);
  for (const victim of victims) {
    const plan = await planOf(client, victim);
    // Of another version of the plan there may be targets that are not locked yet.
    if ((await targetColumns(client, victim.target)).length > 0)
      await client.query(`lock table ${victim.target} in share row exclusive mode`);
    const about = { ...aboutOf(victim, plan), by, reason: reason.trim(), act };
    const writing = await Writing.begin(client, about, victim.id === main.id ? { id: await nextIn(client, act) } : {});
    const undoing = await findRows(client, victim, plan, writing.ours);
    if (undoing) {
      await chooseRows(undoing, chosenOf(over, plan, ofSeveral(victims)), true);
      await writeRows(undoing, writing);
      const { rows } = await client.query<{ n: number }>(
        "select count(*)::int as n from undo_rows where not go and because is distinct from 'nothing'",
      );
      writing.leftRows = rows[0]!.n;
      if (writing.leftRows > 0 && whole) await refuseInPart(client, victim);
    }
    await writing.end();
    await undoInStore(client, victim, { writing, rows: undoing !== null, along: victim.id !== main.id });
    if (victim.id === main.id) total.writing = writing.id;
    total.removed += writing.removed;
    total.restored += writing.updated + writing.inserted;
    total.left += writing.leftRows;
  }
  return total;
}

/** What an undo, or the undo of an undo, goes back to in the end. */
async function firstOf(client: Queryable, w: Written): Promise<Written> {
  return w.undoes === null ? w : await firstOf(client, await getWriting(client, w.undoes));
}

/** The number of an act's last writing: its first one's number where there is no other. */
async function nextIn(client: Client, act: number): Promise<number> {
  const { rows } = await client.query<{ used: boolean }>(
    "select exists (select from sieve.writing where act = $1) as used",
    [act],
  );
  return rows[0]!.used ? await nextWriting(client) : act;
}

async function refuseInPart(client: Client, victim: Written): Promise<never> {
  const { rows } = await client.query<{ because: LeftBecause; by: number | null; detail: string }>(
    "select because, by_writing as by, detail from undo_rows where not go and because is distinct from 'nothing' limit 1",
  );
  const { because, by, detail } = rows[0]!;
  throw new SieveError(
    "row-gone",
    `The ${victim.kind} of writing ${victim.id} can't be taken back: ${leftWords(because, by, detail)}.`,
    {
      hint: by === null ? "Look at the row in the target." : `Undo writing ${by} first.`,
    },
  );
}

/** What hangs on a writing in the store goes back with it. */
async function undoInStore(
  client: Client,
  victim: Written,
  { writing, rows, along }: { writing: Writing; rows: boolean; along: boolean },
): Promise<void> {
  const { id, load } = victim;
  const { by, reason } = writing.about;
  // A record whose row was left in the target stays as released as it is.
  if (rows) {
    await client.query(
      `drop table if exists undone_origins;
       create temp table undone_origins on commit drop as
         select load, record from undo_rows where go and load is not null union
         select i."_load", i."_record" from undo_rows u join undo_images i on i."_ n" = u.img where u.go;
       create index on undone_origins (record, load); analyze undone_origins`,
    );
  }
  const left = rows
    ? `(b.key->>'wrote') is distinct from 'true' or exists (select from undone_origins o
         where o.load = (b.key->>'load')::int and o.record = (b.key->>'record')::int)`
    : "true";
  // One that was put to wait and has been decided about since is where that decision put it.
  const decided = `(b.key->>'waits') is not distinct from 'true' and exists (select from sieve.waiting w
    where w.load = (b.key->>'load')::int and w.record = (b.key->>'record')::int and w.state in ('inserted', 'merged'))`;
  // What was decided is about contents, not about a load: it is known when they come again.
  const kept: Noted[] = along ? ["match_pair", "match_decision"] : [];
  await putStoreBack(client, { undone: id, by: writing.id, only: `(${left}) and not (${decided})`, kept });
  // What was written to further targets is undone with the load, of which all this is said once.
  if (victim.kind === "load" && victim.act === id) {
    const held = `r.load = ${load} and r.state in ('held', 'overtaken')`;
    await noteBefore(client, writing.id, "held", held);
    await client.query(
      `update sieve.held r set state = 'discarded', reason = $1, ended_by = $2, ended_at = now(), writing = ${writing.id} where ${held}`,
      [`load ${load} was undone: ${reason}`, by],
    );
    await noteBefore(client, writing.id, "waiting", `r.load = ${load} and r.state = 'waiting'`);
    await client.query(
      `update sieve.waiting set state = 'undone', writing = ${writing.id}, ended_by = $1, ended_at = now()
       where load = ${load} and state = 'waiting'`,
      [by],
    );
    await noteBefore(client, writing.id, "loaded_file", `r.load = ${load}`);
  }
  await setUndone(client, victim, writing.id);
  await sayOfLoad(client, load);
}

/** A load is undone as long as its writing is, by whatever way that came about; its bytes may come again then. */
async function sayOfLoad(client: Client, load: number): Promise<void> {
  const { rows } = await client.query<{ state: string }>(
    `update sieve.load l set state = case when u.id is null then 'loaded' else 'undone' end, undone = u.reason,
       undone_by = coalesce(u.made_by, ''), undone_at = u.made_at
     from sieve.writing w left join sieve.writing u on u.id = w.undone_by
     where l.id = $1 and w.id = l.writing and l.state in ('loaded', 'undone') returning l.state`,
    [load],
  );
  if (rows[0]?.state === "undone") await client.query("delete from sieve.loaded_file where load = $1", [load]);
}

/**
 * Says that a writing was undone, or, with null, that it stands again, unless an earlier undo of it stands. What it
 * had itself undone, where it is an undo, is the other way round from then on, and so on down to what is no undo.
 */
async function setUndone(client: Client, w: Pick<Written, "id" | "kind" | "undoes">, by: number | null): Promise<void> {
  const { rows } = await client.query<{ by: number | null }>(
    `update sieve.writing set undone_by = coalesce($2, (
       select id from sieve.writing where undoes = $1 and undone_by is null order by turn desc limit 1))
     where id = $1 returning undone_by as by`,
    [w.id, by],
  );
  if (w.kind === "undo") {
    await setUndone(client, await getWriting(client, w.undoes!), rows[0]!.by === null ? w.id : null);
  }
}

/** Undoes a load as a whole, with what came of its records later. Throws `cannot-undo`. */
export async function undoLoad(
  db: Db,
  id: number,
  reason: string,
  by: string,
  over: OverChanged = "none",
): Promise<Undone> {
  needReason(reason);
  const fault = await cannotUndo(db, id);
  if (fault) throw new SieveError("cannot-undo", fault.message, { hint: fault.hint });
  const { writing } = await getLoad(db, id);
  return await undoWriting(db, writing!, { reason, by, over });
}
