import { type LeftBecause } from "@/core/kernel/writing.ts";
import type { Plan } from "@/core/plan/document.ts";
import { targetPlans } from "@/core/plan/further.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { byPlace, ident, type Client, type Queryable } from "@/store/db.ts";
import { getPlan } from "@/store/feeds.ts";
import { besideOf, ofAct, standingAfter, turnOf, type Writing as Written } from "@/store/writings.ts";
import { lockReferring, referringKeys, refersTo, tableRules } from "../writing/existing-table.ts";
import { targetColumns, tableOf } from "../writing/target.ts";
import {
  DID,
  LEFT_AS,
  OURS,
  WRITING,
  Writing,
  rowKey,
  sameRow,
  undoTable,
  type AboutWriting,
} from "../writing/writing.ts";

/** What becomes of rows that have been changed since: they are left, or undone all the same, all of them or some. */
export type OverChanged = "none" | "all" | readonly string[];

/** What to undo, in the order in which it is done: of an undo all that it did, of a load also what came of its records later. */
export async function victimsOf(client: Queryable, w: Written): Promise<Written[]> {
  if (w.kind === "undo") return await ofAct(client, w.act);
  const beside = await besideOf(client, w);
  const later = [
    ...(w.kind === "load" ? await standingAfter(client, w) : []),
    ...beside.filter((b) => b.turn > w.turn),
  ];
  const once = [...new Map(later.map((l) => [l.id, l])).values()].sort((a, b) => b.turn - a.turn);
  // What was written to other targets with it was so before it, or after it.
  return [...once, w, ...beside.filter((b) => b.turn < w.turn)];
}

/** The plan that a writing went by: of a further target the one that is made for it. */
export async function planOf(db: Queryable, w: Written): Promise<Plan> {
  const { document } = await getPlan(db, w.plan);
  return targetPlans(document).find((plan) => tableOf(plan) === w.target) ?? document;
}

/** What the undo of a writing is, which keeps rows whatever the plan says of its loads. */
export function aboutOf(victim: Written, plan: Plan): Omit<AboutWriting, "by"> {
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

/** One writing that is being undone: what was there before, and what is to be done to each row. */
export interface Undoing {
  readonly client: Client;
  readonly plan: Plan;
  /** Quoted names of columns that rows as they were have and the target still has. */
  readonly columns: readonly string[];
}

/** Finds what there is to undo, as temporary tables `undo_images` and `undo_rows`. Null where the target is gone. */
export async function findRows(client: Client, victim: Written, plan: Plan, ours: string): Promise<Undoing | null> {
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
  // A row's image is asked for by its number: without an index all of them would be read for each.
  await client.query(`create unique index on undo_images ("_ n"); analyze undo_images`);
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
  // What it found there and was undone in the meantime would come back for nobody.
  const undone =
    victim.kind === "undo"
      ? "null"
      : `(select 'undone' from sieve.writing o where o.id = i.${ident(WRITING)} and o.undone_by is not null)`;
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
         when 'removed' then case when t.ctid is null or ${replaced} then ${undone} when ${as} then 'nothing' else 'another' end
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

/** Stands between the table and a row's key, where the rows of several tables are chosen from. */
const OF_TABLE = "\u001e";

/** A row's key as it is chosen by: with its table, where rows of several are. `key` is SQL. */
export function chosenKey(plan: Plan, key: string, several: boolean): string {
  return several ? `'${plan.load.target}${OF_TABLE}' || ${key}` : key;
}

/** What was chosen of the rows of one table. */
export function chosenOf(over: OverChanged, plan: Plan, several: boolean): OverChanged {
  if (typeof over === "string" || !several) return over;
  const table = `${plan.load.target}${OF_TABLE}`;
  return over.flatMap((key) => (key.startsWith(table) ? [key.slice(table.length)] : []));
}

/** Whether writings are of more than one table. */
export function ofSeveral(writings: readonly Written[]): boolean {
  return new Set(writings.map((w) => w.target)).size > 1;
}

/** A row's key as one text, in SQL. */
export function keyText(plan: Plan, alias: string): string {
  const parts = rowKey(plan).map((k) => `${alias}.${ident(k)}::text`);
  return `concat_ws(chr(31), ${parts.join(", ")})`;
}

/** What a person said about rows that were changed since, and what rules and other tables say, goes into `undo_rows`. */
export async function chooseRows({ client, plan, columns }: Undoing, over: OverChanged, lock: boolean): Promise<void> {
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
       where because in ('changed', 'another', 'gone', 'undone')${some}`,
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
  if (lock) await lockReferring(client, children);
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
export async function writeRows({ client, plan, columns }: Undoing, writing: Writing): Promise<void> {
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
