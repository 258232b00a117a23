import { LEFT_BECAUSE, type LeftBecause, type UndoDoes } from "@/core/kernel/writing.ts";
import type { Plan } from "@/core/plan/schema.ts";
import { SieveError, counted, listed } from "@/core/kernel/problem.ts";
import { byPlace, ident, transaction, type Client, type Db, type Queryable } from "@/store/db.ts";
import { getPlan } from "@/store/feeds.ts";
import { getLoad, needReason } from "@/store/loads.ts";
import { retentionOf } from "@/store/retention.ts";
import {
  getWriting,
  nextWriting,
  noteBefore,
  ofAct,
  ownTransactions,
  putStoreBack,
  standingAfter,
  turnOf,
  type Noted,
  type Writing as Written,
  type WritingKind,
} from "@/store/writings.ts";
import { referringKeys, refersTo, tableRules } from "../writing/existing-table.ts";
import { targetColumns, tableOf } from "../writing/target.ts";
import {
  DID,
  LEFT_AS,
  OURS,
  WRITING,
  Writing,
  lockTarget,
  rowKey,
  sameRow,
  undoTable,
  type AboutWriting,
} from "../writing/writing.ts";

/** What one person decided about one record goes back as a whole, or not at all. Beside a load it goes back row by row. */
const WHOLE: ReadonlySet<WritingKind> = new Set(["decision", "split", "put back", "join"]);

/** Rows of a preview that are shown at a time. */
const ROWS_SHOWN = 200;

/** What becomes of rows that have been changed since: they are left, or undone all the same, all of them or some. */
export type OverChanged = "none" | "all" | readonly string[];

/** What undoing a writing would do, row by row. */
export interface UndoneRow {
  /** The row's key, as text. */
  readonly key: string;
  readonly does: UndoDoes;
  /** Null for a row that is undone. */
  readonly because: LeftBecause | null;
  /** The writing that has changed the row since; null where another program did, or nobody. */
  readonly by: number | null;
  /** What refers to the row, or which rule would be broken. */
  readonly detail: string;
  /** What stands there, by column; null where nothing does. */
  readonly now: Record<string, string | null> | null;
  /** What would come back; null where nothing does. */
  readonly back: Record<string, string | null> | null;
}

export interface UndoPreview {
  readonly writing: Written;
  /** Writings of the same records that came after and are undone with it, the latest first. */
  readonly along: readonly Written[];
  /** Rows that are undone, by what is done to them. */
  readonly does: Readonly<Record<UndoDoes, number>>;
  /** Rows that are left, by why. */
  readonly left: Readonly<Record<LeftBecause, number>>;
  readonly columns: readonly string[];
}

/** What an undo did. */
export interface Undone {
  /** The number of the undo, which is a writing too; of several the last. */
  readonly writing: number;
  /** Rows that went, and rows that are again as they were. */
  readonly removed: number;
  readonly restored: number;
  /** Rows that were left as they are. */
  readonly left: number;
}

/**
 * Drops the rows that are kept for loads of a target that are too long ago by the feed's retention, and for what was
 * written before them. Returns of how many writings.
 */
export async function pruneUndo(client: Client, plan: Plan): Promise<number> {
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

/** What stands in the way of undoing a writing; null where nothing does. */
export async function cannotUndoWriting(db: Queryable, w: Written): Promise<{ message: string; hint: string } | null> {
  if (w.undoneBy !== null) {
    const undo = await getWriting(db, w.undoneBy);
    if (undo.leftRows === 0) {
      return { message: `Writing ${w.id} was undone by writing ${undo.id}.`, hint: "That one can be undone in turn." };
    }
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
  const fault = await cannotUndoWriting(db, await getWriting(db, load.writing));
  if (fault && load.state === "undone") return { message: `Load ${id} is undone.`, hint: fault.hint };
  return fault;
}

/** One writing that is being undone: what was there before, and what is to be done to each row. */
interface Undoing {
  readonly client: Client;
  readonly plan: Plan;
  /** Quoted names of columns that rows as they were have and the target still has. */
  readonly columns: readonly string[];
}

/** Finds what there is to undo, as temporary tables `undo_images` and `undo_rows`. Null where the target is gone. */
async function findRows(client: Client, victim: Written, plan: Plan, ours: string): Promise<Undoing | null> {
  const table = tableOf(plan);
  const there = (await targetColumns(client, table)).filter((c) => !c.computed);
  if (there.length === 0) return null;
  const { id } = victim;
  const own = (await targetColumns(client, undoTable(id))).map((c) => c.name);
  const columns = there.filter((c) => own.length === 0 || own.includes(c.name));
  const names = columns.map((c) => ident(c.name));
  await client.query("drop table if exists undo_images, undo_rows");
  await client.query(
    own.length > 0
      ? `create temp table undo_images on commit drop as select row_number() over ()::int as "_ n", ${DID}, ${LEFT_AS}, ${OURS},
           ${columns.map((c) => `i.${ident(c.name)}::${c.type} as ${ident(c.name)}`).join(", ")} from ${undoTable(id)} i`
      : `create temp table undo_images on commit drop as select row_number() over ()::int as "_ n", did as ${DID}, left_as as ${LEFT_AS}, ours as ${OURS},
           ${names.map((n) => `r.${n}`).join(", ")}
         from sieve.row_before b, json_populate_record(null::${table}, b.document) r where b.writing = ${id}`,
  );
  await client.query("analyze undo_images");
  await client.query(
    `create temp table undo_rows (n integer generated always as identity, img integer, place tid, part oid, does text not null,
       because text, by_writing integer, detail text not null default '', load integer, record integer,
       go boolean not null default false) on commit drop`,
  );
  const left = victim.kind === "undo" ? `i.${LEFT_AS}` : `${id}`;
  const mine = `t.xmin = any(${ours})`;
  const stands = `t.${ident(WRITING)} is not distinct from ${left} and ${mine}`;
  // A row in the place of one that was taken away; an undo puts none there.
  const replaced = victim.kind === "undo" ? "false" : stands;
  const as = columns
    .filter((c) => ![WRITING, "_load", "_record"].includes(c.name))
    .map((c) => `t.${ident(c.name)}::text is not distinct from i.${ident(c.name)}::text`)
    .join(" and ");
  const by = `case when ${mine} and ${turnOf(`t.${ident(WRITING)}`)} > ${victim.turn} then t.${ident(WRITING)} end`;
  await client.query(
    `insert into undo_rows (img, place, part, does, because, by_writing, load, record)
     select i."_ n", t.ctid, t.tableoid,
       case when i.${DID} = 'removed' and not coalesce(t.ctid is not null and ${replaced}, false) then 'bring back'
         when i.${DID} = 'made' then 'remove' else 'put back' end,
       case i.${DID}
         when 'removed' then case when t.ctid is null or ${replaced} then null when ${as} then 'nothing' else 'another' end
         when 'made' then case when t.ctid is null then 'nothing' when ${stands} then null else 'changed' end
         else case when t.ctid is null then 'gone' when ${stands} then null when ${as} then 'nothing' else 'changed' end
       end, ${by}, t."_load", t."_record"
     from undo_images i left join ${table} t on ${sameRow(plan, "i", "t")}`,
  );
  if (victim.kind !== "undo") {
    const known = `exists (select from undo_images i where ${sameRow(plan, "i", "t")})`;
    await client.query(
      `insert into undo_rows (place, part, does, because, load, record)
       select t.ctid, t.tableoid, 'remove', case when not ${mine} then 'changed' end, t."_load", t."_record"
       from ${table} t where t.${ident(WRITING)} = ${id} and not ${known}`,
    );
    await findWrittenOver(client, victim, plan, by);
  }
  return { client, plan, columns: names };
}

/** Rows that the writing put there and that later ones have written over, by what those found. */
async function findWrittenOver(client: Client, victim: Written, plan: Plan, by: string): Promise<void> {
  const table = tableOf(plan);
  const key = rowKey(plan).map((k) => ident(k));
  const { rows: later } = await client.query<{ id: number; table: string | null }>(
    `select w.id, to_regclass(format('undo.%I', 'writing ' || w.id))::text as table from sieve.writing w
     where w.target = $1 and w.turn > $2 and w.updated + w.removed > 0`,
    [victim.target, victim.turn],
  );
  if (later.length === 0) return;
  const found = later.flatMap(({ table: kept }) =>
    kept === null ? [] : [`select ${key.join(", ")} from ${kept} where ${ident(WRITING)} = ${victim.id}`],
  );
  found.push(
    `select ${key.map((k) => `r.${k}`).join(", ")} from sieve.row_before b, json_populate_record(null::${table}, b.document) r
     where b.writing = any('{${later.map((l) => l.id).join(",")}}'::int[]) and r.${ident(WRITING)} = ${victim.id}`,
  );
  await client.query(
    `insert into undo_rows (place, part, does, because, by_writing, load, record)
     select t.ctid, t.tableoid, 'remove', case when t.ctid is null then 'nothing' else 'changed' end, ${by}, t."_load", t."_record"
     from (select distinct * from (${found.join(" union all ")}) f) o left join ${table} t on ${sameRow(plan, "o", "t")}
     where not exists (select from undo_images i where ${sameRow(plan, "i", "o")})
       and t.${ident(WRITING)} is distinct from ${victim.id}`,
  );
}

/** A row's key as one text, in SQL. */
function keyText(plan: Plan, alias: string): string {
  const parts = rowKey(plan).map((k) => `${alias}.${ident(k)}::text`);
  return `concat_ws(chr(31), ${parts.join(", ")})`;
}

/** What a person said about rows that were changed since, and what rules and other tables say, goes into `undo_rows`. */
async function chooseRows({ client, plan, columns }: Undoing, over: OverChanged, lock: boolean): Promise<void> {
  const table = tableOf(plan);
  await client.query("update undo_rows set go = true where because is null");
  if (over !== "none") {
    const some =
      over === "all"
        ? ""
        : ` and coalesce((select ${keyText(plan, "t")} from ${table} t where t.ctid = u.place and t.tableoid = u.part),
             (select ${keyText(plan, "i")} from undo_images i where i."_ n" = u.img)) = any($1)`;
    await client.query(
      `update undo_rows u set go = true, does = case because when 'another' then 'put back' when 'gone' then 'bring back' else does end
       where because in ('changed', 'another', 'gone')${some}`,
      over === "all" ? [] : [over],
    );
  }
  const stop = async (because: LeftBecause, detail: string, where: string): Promise<number> => {
    const { rowCount } = await client.query(
      `update undo_rows u set go = false, because = '${because}', detail = $1 where u.go and ${where}`,
      [detail],
    );
    return rowCount ?? 0;
  };
  const children = await referringKeys(client, table);
  // A row that comes to refer to ours between the question and the deed would go with it.
  for (const child of lock ? children : []) {
    if (!child.own) await client.query(`lock table ${child.child} in share row exclusive mode`);
  }
  for (let again = true; again;) {
    again = false;
    for (const referring of children) {
      const { child, own, to } = referring;
      const same = refersTo(referring);
      const others = own
        ? " and not exists (select from undo_rows v where v.go and v.does = 'remove' and v.place = c.ctid and v.part = c.tableoid)"
        : "";
      const referred = `exists (select from ${table} t where t.ctid = u.place and t.tableoid = u.part
        and exists (select from ${child} c where ${same}${others}))`;
      const stopped = await stop("referred", `${child} refers to it`, `u.does = 'remove' and ${referred}`);
      if (own && stopped > 0) again = true;
      const moved = to.filter((c) => columns.includes(c)).map((c) => `i.${c} is distinct from t.${c}`);
      if (moved.length === 0) continue;
      await stop(
        "referred",
        `${child} refers to it`,
        `u.does = 'put back' and exists (select from ${table} t join undo_images i on i."_ n" = u.img
           where t.ctid = u.place and t.tableoid = u.part and (${moved.join(" or ")}) and exists (select from ${child} c where ${same}))`,
      );
    }
  }
  const back = "u.does in ('put back', 'bring back')";
  for (const rule of await tableRules(client, table)) {
    const cols = rule.columns.map((c) => ident(c));
    // What refers to a row of the same table may come back together with it.
    if (!cols.every((c) => columns.includes(c)) || children.some((c) => c.own && c.name === rule.name)) continue;
    const detail = `${rule.name}: ${rule.definition}`;
    const filled = cols.map((c) => `s.${c} is not null`).join(" and ");
    const image = (where: string): string =>
      `${back} and exists (select from undo_images s where s."_ n" = u.img and ${where})`;
    if (rule.kind === "check") await stop("rule", detail, image(`(${rule.sql}) is false`));
    else if (rule.kind === "foreign") await stop("rule", detail, image(`${filled} and (${rule.sql}) is not true`));
    else {
      const same = cols.map((c) => `o.${c} = s.${c}`).join(" and ");
      // Another row has the value, and keeps it.
      await stop(
        "rule",
        detail,
        image(
          `${filled} and exists (select from ${table} o where ${same} and (o.ctid, o.tableoid) is distinct from (u.place, u.part)
             and not exists (select from undo_rows v where v.go and v.place = o.ctid and v.part = o.tableoid))`,
        ),
      );
    }
  }
}

/** Does what was found and chosen, and keeps how it was. */
async function writeRows({ client, plan, columns }: Undoing, writing: Writing): Promise<void> {
  const table = tableOf(plan);
  const key = new Set(plan.load.key.map((k) => ident(k)));
  const { rows } = await client.query<{ n: number }>("select count(*)::int as n from undo_rows where go");
  if (rows[0]!.n === 0) return;
  writing.expect(rows[0]!.n);
  await client.query("analyze undo_rows");
  const whose = `case when i.${OURS} then i.${ident(WRITING)} end`;
  const image = `(select ${whose} from undo_images i where i."_ n" = u.img)`;
  await writing.keep(
    `select u.place, u.part, case u.does when 'remove' then 'removed' else 'changed' end as did,
       case u.does when 'remove' then null else ${image} end as left_as
     from undo_rows u where u.go and u.place is not null`,
    "as told",
  );
  await writing.keepMade(
    `select ${rowKey(plan)
      .map((k) => `i.${ident(k)}`)
      .join(", ")}, ${whose} as ${LEFT_AS}
     from undo_rows u join undo_images i on i."_ n" = u.img where u.go and u.does = 'bring back'`,
  );
  const value = (c: string): string => (c === ident(WRITING) ? whose : `i.${c}`);
  const set = columns.filter((c) => !key.has(c));
  try {
    const removed = await byPlace(client, () =>
      client.query(
        `delete from ${table} t using undo_rows u
         where t.ctid = u.place and t.tableoid = u.part and u.go and u.does = 'remove'`,
      ),
    );
    const updated = await byPlace(client, () =>
      client.query(
        `update ${table} t set ${set.map((c) => `${c} = ${value(c)}`).join(", ")}
         from undo_rows u join undo_images i on i."_ n" = u.img
         where t.ctid = u.place and t.tableoid = u.part and u.go and u.does = 'put back'`,
      ),
    );
    const inserted = await client.query(
      `insert into ${table} (${columns.join(", ")}) select ${columns.map(value).join(", ")}
       from undo_rows u join undo_images i on i."_ n" = u.img where u.go and u.does = 'bring back'`,
    );
    writing.removed += removed.rowCount ?? 0;
    writing.updated += updated.rowCount ?? 0;
    writing.inserted += inserted.rowCount ?? 0;
  } catch (error) {
    const { code, message, detail } = error as { code?: string; message: string; detail?: string };
    // Class 23 of SQL's states: a constraint of the table, which was not there, or came to hold otherwise.
    if (!code?.startsWith("23")) throw error;
    throw new SieveError("cannot-undo", `The target refuses what would come back: ${message}.`, {
      detail: detail ?? "",
      hint: "Nothing was changed. Look at that rule of the table.",
    });
  }
  const done = writing.removed + writing.updated + writing.inserted;
  if (done !== rows[0]!.n) {
    throw new SieveError("not_written", `The target let ${done} of ${rows[0]!.n} rows be undone.`, {
      detail: "A trigger or a rule of the table has kept the rest, so nothing was changed.",
      hint: "Look for a trigger or a rule of that table that drops rows.",
    });
  }
}

/** What to undo, in the order in which it is done: of an undo all that it did, of a load also what came of its records later. */
async function victimsOf(client: Queryable, w: Written): Promise<Written[]> {
  if (w.kind === "undo") return await ofAct(client, w.act);
  if (w.kind === "load") return [...(await standingAfter(client, w)), w];
  return [w];
}

async function planOf(db: Queryable, w: Written): Promise<Plan> {
  return (await getPlan(db, w.plan)).document;
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
    await lockTarget(client, main.feed, await planOf(client, main));
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
  const fault = await cannotUndoWriting(client, main);
  if (fault) throw new SieveError("cannot-undo", fault.message, { hint: fault.hint });
  const act = await nextWriting(client);
  const total = { writing: act, removed: 0, restored: 0, left: 0 };
  const victims = await victimsOf(client, main);
  const whole = victims.length === 1 && WHOLE.has((await firstOf(client, main)).kind);
  for (const victim of victims) {
    const plan = await planOf(client, victim);
    const about = { ...aboutOf(victim, plan), by, reason: reason.trim(), act };
    const writing = await Writing.begin(client, about, victim.id === main.id ? { id: await nextIn(client, act) } : {});
    const undoing = await findRows(client, victim, plan, writing.ours);
    if (undoing) {
      await chooseRows(undoing, over, true);
      await writeRows(undoing, writing);
      const { rows } = await client.query<{ n: number }>(
        "select count(*)::int as n from undo_rows where not go and because is distinct from 'nothing'",
      );
      writing.leftRows = rows[0]!.n;
      if (writing.leftRows > 0 && whole) await refuseInPart(client, victim);
    }
    await writing.end();
    await undoInStore(client, victim, { writing, rows: undoing !== null, along: victim.id !== main.id });
    total.writing = writing.id;
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

/** Why a row is left, in words. */
export function leftWords(because: LeftBecause, by: number | null, detail: string): string {
  switch (because) {
    case "changed":
      return by === null ? "another program has changed the row since" : `writing ${by} has changed the row since`;
    case "gone":
      return "the row has been taken away since";
    case "another":
      return by === null ? "another program has put a row there since" : `writing ${by} has put a row there since`;
    case "referred":
      return detail;
    case "rule":
      return `it would break the target’s rule ${detail}`;
  }
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
  // What was decided is about contents, not about a load: it is known when they come again.
  const kept: Noted[] = along ? ["match_pair", "match_decision"] : [];
  await putStoreBack(client, { undone: id, by: writing.id, only: left, kept });
  if (victim.kind === "load") {
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

/** Which rows of a preview are wanted. */
export interface UndoRowFilter {
  readonly does?: UndoDoes | undefined;
  readonly left?: LeftBecause | "any" | undefined;
  readonly from?: number | undefined;
  /** Where neither is said: rows that would be left, if there are any, as they need a person; else those that are undone. */
  readonly needed?: boolean;
}

class Looked extends Error {}

/**
 * What undoing a writing would do to the target, and the rows of one of its counts. Nothing is changed. Of a load,
 * what came of its records later is undone first and counted with it.
 * @returns the counts, and at most `ROWS_SHOWN` rows from the `from`th on
 */
export async function previewUndo(
  db: Db,
  id: number,
  filter: UndoRowFilter = {},
): Promise<UndoPreview & { rows: readonly UndoneRow[]; next: number | null }> {
  const main = await getWriting(db, id);
  const fault = await cannotUndoWriting(db, main);
  if (fault) throw new SieveError("cannot-undo", fault.message, { hint: fault.hint });
  const does: Record<UndoDoes, number> = { remove: 0, "put back": 0, "bring back": 0 };
  const left: Record<LeftBecause, number> = { changed: 0, gone: 0, another: 0, referred: 0, rule: 0 };
  let columns: string[] = [];
  const from = filter.from ?? 0;
  /** Which rows may be wanted, those first that are shown if there are any. */
  const views = (filter.needed && !filter.does && !filter.left ? [{ left: "any" as const }, {}] : [filter]).map(
    (f) => ({
      where: rowsWhere(f),
      rows: [] as UndoneRow[],
      seen: 0,
    }),
  );
  const victims = await victimsOf(db, main);
  try {
    // The undo is done and taken back, so that what is said beforehand is what will be.
    await transaction(db, async (client) => {
      for (const victim of victims) {
        const plan = await planOf(client, victim);
        const ours = await ownTransactions(client, victim.target, await ownNow(client));
        const undoing = await findRows(client, victim, plan, ours);
        if (!undoing) continue;
        await chooseRows(undoing, "none", false);
        columns = [...plan.contract.fields.map((f) => f.name)];
        const { rows } = await client.query<{ does: UndoDoes; because: LeftBecause | null; go: boolean; n: number }>(
          `select does, because, go, count(*)::int as n from undo_rows where because is distinct from 'nothing' group by 1, 2, 3`,
        );
        for (const r of rows) {
          if (r.go) does[r.does] += r.n;
          else left[r.because!] += r.n;
        }
        const there = new Set((await targetColumns(client, tableOf(plan))).map((c) => c.name));
        const texts = (alias: string): string =>
          `jsonb_build_object(${columns
            .filter((c) => there.has(c) && (alias === "t" || undoing.columns.includes(ident(c))))
            .slice(0, 45)
            .map((c) => `'${c}', ${alias}.${ident(c)}::text`)
            .join(", ")})`;
        for (const view of views) {
          const page = await client.query<UndoneRow>(
            `select coalesce(case when t.ctid is not null then ${keyText(plan, "t")} end, ${keyText(plan, "i")}) as key,
               u.does, u.because, u.by_writing as by, u.detail, case when t.ctid is not null then ${texts("t")} end as now,
               case when i."_ n" is not null and i.${DID} <> 'made' then ${texts("i")} end as back
             from undo_rows u left join ${tableOf(plan)} t on t.ctid = u.place and t.tableoid = u.part
               left join undo_images i on i."_ n" = u.img where ${view.where} order by u.n offset $1 limit $2`,
            [Math.max(0, from - view.seen), ROWS_SHOWN + 1 - view.rows.length],
          );
          view.rows.push(...page.rows);
          view.seen += await countWhere(client, view.where);
        }
        if (victim !== victims.at(-1)) {
          const w = await Writing.begin(client, { ...aboutOf(victim, plan), by: "" });
          await writeRows(undoing, w);
        }
      }
      throw new Looked();
    });
  } catch (error) {
    if (!(error instanceof Looked)) throw error;
  }
  const { rows } = views.find((v) => v.seen > 0) ?? views[0]!;
  return {
    writing: main,
    along: victims.filter((v) => v.id !== main.id),
    does,
    left,
    columns,
    rows: rows.slice(0, ROWS_SHOWN),
    next: rows.length > ROWS_SHOWN ? from + ROWS_SHOWN : null,
  };
}

/** That a row `u` of an undo is one of those that are wanted, in SQL. */
function rowsWhere({ does, left }: UndoRowFilter): string {
  if (left === undefined) return `u.go${does ? ` and u.does = '${does}'` : ""}`;
  return `not u.go and u.because ${left === "any" ? "is distinct from 'nothing'" : `= '${left}'`}`;
}

/** What the undo of a writing is, which keeps rows whatever the plan says of its loads. */
function aboutOf(victim: Written, plan: Plan): Omit<AboutWriting, "by"> {
  const keeping = { ...plan, load: { ...plan.load, undo: true } };
  return {
    kind: "undo",
    feed: victim.feed,
    load: victim.load,
    plan: keeping,
    planId: victim.plan,
    undoes: victim.id,
  };
}

async function ownNow(client: Client): Promise<string[]> {
  const { rows } = await client.query<{ xid: string | null }>("select pg_current_xact_id_if_assigned()::text as xid");
  return rows[0]!.xid === null ? [] : [rows[0]!.xid];
}

async function countWhere(client: Client, where: string): Promise<number> {
  const { rows } = await client.query<{ n: number }>(`select count(*)::int as n from undo_rows u where ${where}`);
  return rows[0]!.n;
}

/** The rows of an undo that were left as they are, in words: “3 rows that writing 12 has changed since”. */
export function leftSummary(left: Readonly<Record<LeftBecause, number>>): string {
  const words: Record<LeftBecause, string> = {
    changed: "changed since",
    gone: "taken away since",
    another: "put there anew since",
    referred: "referred to by other tables",
    rule: "that a rule of the target keeps out",
  };
  return listed(LEFT_BECAUSE.filter((b) => left[b] > 0).map((b) => `${counted(left[b], "row")} ${words[b]}`));
}
