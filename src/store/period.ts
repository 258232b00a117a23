import type { HeldState } from "@/core/kernel/writing.ts";
import type { Queryable } from "./db.ts";
import type { WritingKind } from "./writings.ts";

/** Days from one to another, both of them in it, as ISO 8601; a day is one of UTC, as the day of a load is. */
export interface Days {
  readonly from: string;
  readonly until: string;
}

/** A load that ended in a period, as a line of its account. */
export interface PeriodLoad {
  readonly id: number;
  readonly state: string;
  readonly endedAt: Date;
  readonly sender: string;
  readonly read: number;
  readonly inserted: number;
  readonly updated: number;
  readonly unchanged: number;
  readonly merged: number;
  readonly held: number;
  readonly waiting: number;
  readonly leftOut: number;
}

/** The outcomes of loads that stand, added up: read is the sum of the others. */
export type PeriodSums = Readonly<
  Record<"loads" | "read" | "inserted" | "updated" | "unchanged" | "merged" | "held" | "waiting" | "leftOut", number>
>;

/** The quarantine of a feed over a period: atStart + came = the sum of went + atEnd. */
export interface HeldAccount {
  readonly atStart: number;
  readonly came: number;
  /** Records that ended, by the state that they ended in. */
  readonly went: Readonly<Partial<Record<HeldState, number>>>;
  readonly atEnd: number;
  /** Of those at the end, those whose key has been written by something newer, by now. */
  readonly overtaken: number;
}

/** What writings of one kind did to the rows of one target. */
export interface TargetAccount {
  /** The table's quoted name. */
  readonly target: string;
  readonly kind: WritingKind;
  readonly writings: number;
  readonly inserted: number;
  readonly updated: number;
  readonly removed: number;
}

/** A field of the plan's own target, summed over the loads that stand: by the ledger, and as the target had it after each. */
export interface SumAccount {
  readonly field: string;
  readonly ledger: string;
  readonly target: string;
}

/** Totals that senders announced for the loads that stand, summed, with what came of them. */
export interface AnnouncedAccount {
  readonly what: string;
  /** Loads for which it was announced, of all that stand. */
  readonly loads: number;
  readonly announced: number;
  readonly came: number;
}

/** What was done after the loads of a period, by kind, what went out by it and how it ended. */
export interface AfterAccount {
  readonly does: string;
  readonly state: string;
  /** Of files: what is in them, as the plan calls it, or `query`; null for what gives no files. */
  readonly what: string | null;
  readonly times: number;
  readonly files: number | null;
  readonly records: number | null;
  /** How many records the loads have that should be in them; null where that can't be told. */
  readonly expected: number | null;
}

export interface Period {
  readonly feed: string;
  readonly days: Days;
  readonly loads: readonly PeriodLoad[];
  readonly sums: PeriodSums;
  readonly held: HeldAccount;
  readonly targets: readonly TargetAccount[];
  readonly fields: readonly SumAccount[];
  readonly announced: readonly AnnouncedAccount[];
  readonly after: readonly AfterAccount[];
}

/** That a moment is in the days `$2` to `$3`. */
const within = (moment: string): string =>
  `${moment} >= ${start("$2")} and ${moment} < ${start("$3")} + interval '1 day'`;
const start = (day: string): string => `(${day}::date::timestamp at time zone 'UTC')`;

/** The account of a feed over some days: what came, what became of it, what was held, and what was written where. */
export async function periodOf(db: Queryable, feed: string, days: Days): Promise<Period> {
  const values = [feed, days.from, days.until];
  const { rows: loads } = await db.query<PeriodLoad>(
    `select l.id, l.state, l.ended_at as "endedAt", d.sender, l.read::int, l.inserted::int, l.updated::int, l.unchanged::int,
       l.merged::int, l.held::int, l.waiting::int, l.left_out::int as "leftOut"
     from sieve.load l join sieve.delivery d on d.id = l.delivery
     where l.feed = $1 and l.kind = 'load' and l.state in ('loaded', 'undone', 'stopped', 'dropped') and ${within("l.ended_at")}
     order by l.ended_at, l.id`,
    values,
  );
  const { rows: targets } = await db.query<TargetAccount>(
    `select w.target, w.kind, count(*)::int as writings, sum(w.inserted)::int as inserted, sum(w.updated)::int as updated,
       sum(w.removed)::int as removed
     from sieve.writing w where w.feed = $1 and ${within("w.made_at")} group by 1, 2 order by 1, min(w.turn)`,
    values,
  );
  const { rows: fields } = await db.query<SumAccount>(
    `select f->>'name' as field, sum((f->'sum'->>0)::numeric)::text as ledger, sum((f->'sum'->>1)::numeric)::text as target
     from sieve.load l, jsonb_array_elements(l.report->'reconciliation'->'fields') with ordinality x (f, n)
     where l.feed = $1 and l.kind = 'load' and l.state = 'loaded' and ${within("l.ended_at")} and jsonb_typeof(f->'sum') = 'array'
     group by 1 order by min(x.n)`,
    values,
  );
  const { rows: announced } = await db.query<AnnouncedAccount>(
    `select a->>'what' as what, count(distinct l.id)::int as loads, sum((a->>'announced')::numeric)::float8 as announced,
       sum((a->>'came')::numeric)::float8 as came
     from sieve.load l, jsonb_array_elements(l.report->'gates') g, jsonb_array_elements(coalesce(g->'announced', '[]')) a
     where l.feed = $1 and l.kind = 'load' and l.state = 'loaded' and ${within("l.ended_at")}
     group by 1 order by a->>'what' <> 'records', 1`,
    values,
  );
  const { rows: after } = await db.query<AfterAccount>(
    `select a.action->>'do' as does, a.state, w.what, count(*)::int as times, sum(a.files)::int as files, sum(a.records)::float8 as records,
       sum(case when a.records is null then null when w.what = 'accepted' then l.inserted + l.updated + l.unchanged
         when w.what = 'changed' then l.inserted + l.updated
         when w.what = 'records' then l.read end)::float8 as expected
     from sieve.after_load a join sieve.load l on l.id = a.load,
       lateral (select case when a.action->>'do' not in ('file', 'put', 'feed') then null when a.action ? 'query' then 'query'
         else coalesce(a.action->>'what', 'accepted') end as what) w
     where l.feed = $1 and ${within("l.ended_at")} group by 1, 2, 3 order by 1, 2, 3`,
    values,
  );
  return {
    feed,
    days,
    loads,
    sums: sumsOf(loads),
    held: await heldOver(db, values),
    targets,
    fields,
    announced,
    after,
  };
}

/** The loads that stand, added up. */
export function sumsOf(loads: readonly PeriodLoad[]): PeriodSums {
  const standing = loads.filter((l) => l.state === "loaded");
  const of = (key: Exclude<keyof PeriodSums, "loads">): number => standing.reduce((n, l) => n + l[key], 0);
  return {
    loads: standing.length,
    read: of("read"),
    inserted: of("inserted"),
    updated: of("updated"),
    unchanged: of("unchanged"),
    merged: of("merged"),
    held: of("held"),
    waiting: of("waiting"),
    leftOut: of("leftOut"),
  };
}

/** Records come to be held when their load ends. */
async function heldOver(db: Queryable, values: readonly string[]): Promise<HeldAccount> {
  const from = start("$2");
  const past = `${start("$3")} + interval '1 day'`;
  const open = (day: string, more = ""): string =>
    `count(*) filter (where h.came < ${day} and (h.ended_at is null or h.ended_at >= ${day})${more})::int`;
  const { rows } = await db.query<HeldAccount>(
    `with h as (select h.state, h.ended_at, l.ended_at as came from sieve.held h join sieve.load l on l.id = h.load
       where h.feed = $1 and l.ended_at < ${past})
     select ${open(from)} as "atStart", count(*) filter (where h.came >= ${from})::int as came, ${open(past)} as "atEnd",
       ${open(past, " and h.state = 'overtaken'")} as overtaken,
       coalesce((select jsonb_object_agg(x.state, x.n) from (select h.state, count(*)::int as n from h
         where h.ended_at >= ${from} and h.ended_at < ${past} group by 1) x), '{}') as went
     from h`,
    [...values],
  );
  return rows[0]!;
}
