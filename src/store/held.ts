import type { HeldState } from "@/core/kernel/writing.ts";
import type { HeldAt } from "@/core/kernel/ledger.ts";
import { faultTitle } from "@/core/course/problem-words.ts";
import type { Problem } from "@/core/course/compiled.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { NEEDS_RAW } from "@/core/mend/for-sender.ts";
import { rawText } from "@/core/read/source.ts";
import type { ReadOptions } from "@/core/read/settings.ts";
import { pagesOf, type Db, type Queryable } from "./db.ts";
import { FIELD_NAMES, planInForce, type PlanVersion } from "./feeds.ts";
import { heldIsOf, senderOfHeld } from "./senders-of-load.ts";

/** Which held records are meant. */
export interface HeldFilter {
  feed?: string | undefined;
  load?: number | undefined;
  check?: string | undefined;
  at?: string | undefined;
  state?: HeldState | undefined;
  /** Who sent it; empty: of whom nobody has said. */
  sender?: string | undefined;
}

export interface HeldRecord {
  load: number;
  record: number;
  feed: string;
  at: HeldAt;
  file: string;
  line: number;
  byteStart: number;
  byteEnd: number;
  /** Names of the fields when the record was held; `values` follow them. */
  fields: string[];
  values: string[];
  columns: string[];
  cells: string[] | null;
  problems: Problem[];
  state: HeldState;
  mended: Record<string, string> | null;
  reason: string;
  endedBy: string;
  endedAt: Date | null;
  /** Since when it is with its sender. */
  withSender: Date | null;
  /** When what was in it went, by the feed's retention. */
  expiredAt: Date | null;
}

const WHERE = `($1::text is null or h.feed = $1) and ($2::int is null or h.load = $2)
  and ($3::text is null or h.checks @> array[$3]) and ($4::text is null or h.at = $4) and h.state = coalesce($5, 'held')
  and ($6::text is null or ${heldIsOf("$6")})`;

function params(filter: HeldFilter): unknown[] {
  return [
    filter.feed ?? null,
    filter.load ?? null,
    filter.check ?? null,
    filter.at ?? null,
    filter.state ?? null,
    filter.sender ?? null,
  ];
}

/** Which held records `h` a filter means, in SQL with its parameters. */
export const heldWhere = (filter: HeldFilter): { where: string; params: unknown[] } => ({
  where: WHERE,
  params: params(filter),
});

/** Held records that share what is wrong. A record with two problems is in two groups. */
export interface HeldGroup {
  feed: string;
  check: string;
  fault: string;
  count: number;
  oldest: Date;
  loads: number;
  /** Of them, so many are held for longer than the feed's plan says they should be. */
  late: number;
  /** So many different things are wrong: values, each empty cell by itself. Where that was not asked, absent. */
  mends?: number;
}

/** By feed, the days after which a held record is late, where the plan in force says so. */
const DUE = `select distinct on (feed) feed, (document->'load'->>'held_days')::int as days from sieve.plan
  where version is not null order by feed, version desc`;
const IS_LATE = "l.ended_at + due.days * interval '1 day' < now()";

/** Feeds of which records are held for longer than their plans say they should be, those with the most first. */
export async function lateHeld(
  db: Queryable,
): Promise<{ feed: string; title: string; days: number; late: number; oldest: Date }[]> {
  const { rows } = await db.query<{ feed: string; title: string; days: number; late: number; oldest: Date }>(
    `with due as (${DUE})
     select h.feed, f.title, due.days, count(*)::int as late, min(l.ended_at) as oldest
     from due join sieve.held h on h.feed = due.feed and h.state = 'held' join sieve.load l on l.id = h.load
       join sieve.feed f on f.name = h.feed
     where due.days is not null and ${IS_LATE} group by 1, 2, 3 order by late desc, h.feed`,
  );
  return rows;
}

/** The orders of causes: by their records, or by what is gained, the records that one mend is for. */
export const CAUSE_ORDERS = ["records", "gain"] as const;
export type CauseOrder = (typeof CAUSE_ORDERS)[number];

export async function heldGroups(
  db: Queryable,
  filter: HeldFilter,
  order: CauseOrder = "records",
): Promise<HeldGroup[]> {
  // Loads are few beside their records: they are joined to what was counted of each.
  const counted = `due as (${DUE}), counted as (
      select h.feed, h.load, c as check, count(*)::int as n from sieve.held h cross join unnest(h.checks) c where ${WHERE}
      group by 1, 2, 3
    ), causes as (
      select g.feed, g.check, sum(g.n)::int as count, min(l.ended_at) as oldest, count(*)::int as loads,
        coalesce(sum(g.n) filter (where ${IS_LATE}), 0)::int as late
      from counted g join sieve.load l on l.id = g.load left join due on due.feed = g.feed group by 1, 2
    )`;
  const { rows } = await db.query<Omit<HeldGroup, "fault">>(
    order === "records"
      ? `with ${counted} select * from causes order by count desc, feed, "check"`
      : `with ${counted}, wrong as (
           select h.feed, p->>'check' as check,
             (count(distinct nullif(p->>'value', '')) + count(*) filter (where coalesce(p->>'value', '') = ''))::int as mends
           from sieve.held h cross join lateral jsonb_array_elements(h.problems) p
           where ${WHERE} and p->>'check' = any(h.checks) group by 1, 2
         )
         select c.*, w.mends from causes c join wrong w using (feed, "check")
         order by c.count / w.mends::float8 desc, c.count desc, c.feed, c."check"`,
    params(filter),
  );
  // Causes are many, feeds few.
  const plans = new Map<string, PlanVersion>();
  for (const { feed } of rows) if (!plans.has(feed)) plans.set(feed, await planInForce(db, feed));
  return rows.map((row) => ({
    ...row,
    fault: faultTitle(row.check, plans.get(row.feed)!.document.contract.fields),
  }));
}

export async function countHeld(db: Queryable, filter: HeldFilter = {}): Promise<number> {
  const { rows } = await db.query<{ n: number }>(
    `select count(*)::int as n from sieve.held h where ${WHERE}`,
    params(filter),
  );
  return rows[0]!.n;
}

/** How many are held, by age in days since their load ended. */
export async function heldAges(
  db: Queryable,
  filter: HeldFilter,
): Promise<{ today: number; week: number; older: number; oldestDays: number }> {
  const { rows } = await db.query<{ today: number; week: number; older: number; oldestDays: number }>(
    `select coalesce(sum(n) filter (where age < interval '1 day'), 0)::int as today,
       coalesce(sum(n) filter (where age >= interval '1 day' and age < interval '8 days'), 0)::int as week,
       coalesce(sum(n) filter (where age >= interval '8 days'), 0)::int as older,
       coalesce(floor(extract(epoch from max(age)) / 86400), 0)::int as "oldestDays"
     from (select now() - l.ended_at as age, h.n
       from (select h.load, count(*)::int as n from sieve.held h where ${WHERE} group by 1) h join sieve.load l on l.id = h.load) a`,
    params(filter),
  );
  return rows[0]!;
}

const OWN = `h.load, h.record, h.feed, h.at, h.line, h.byte_start as "byteStart", h.byte_end as "byteEnd", h.cells,
  h.field_values as values, h.problems, h.state, h.mended, h.reason, h.ended_by as "endedBy", h.ended_at as "endedAt", h.expired_at as "expiredAt", h.with_sender as "withSender"`;
/**
 * A page of held records as `page`, with the loads that they are of, and of those loads the files, and the fields of the
 * plans: documents are taken apart once for each load and plan, and not for each record.
 */
const PAGE = `with page as (
    select h.* from sieve.held h where ${WHERE} and (h.load, h.record) > ($7, $8) order by h.load, h.record limit $9
  ), loads as materialized (
    select l.id, l.plan, l.report->'files' as files from sieve.load l where l.id in (select load from page)
  ), files as materialized (
    select l.id as load, n - 1 as file, f->>'name' as name, f->'columns' as columns
    from loads l, jsonb_array_elements(l.files) with ordinality x (f, n)
  ), plans as materialized (
    select p.id, ${FIELD_NAMES} as fields from sieve.plan p where p.id in (select plan from loads)
  )`;

function pageParams(filter: HeldFilter, after: string, limit: number): unknown[] {
  const [load, record] = /^(\d+):(\d+)$/.exec(after)?.slice(1).map(Number) ?? [0, -1];
  return [...params(filter), load, record, limit];
}

/** A page of held records, in the order of their loads and lines. `after` is “load:record” of the last one seen. */
export async function listHeld(db: Queryable, filter: HeldFilter, after = "", limit = 200): Promise<HeldRecord[]> {
  const { rows } = await db.query<HeldRecord>(
    `${PAGE} select ${OWN}, f.name as file, f.columns, p.fields
     from page h join loads l on l.id = h.load join plans p on p.id = l.plan
       left join files f on f.load = h.load and f.file = h.file
     order by h.load, h.record`,
    pageParams(filter, after, limit),
  );
  return rows;
}

/** What of held records is asked to mend them: their values, and by which fields. Paged as `listHeld`. */
export async function heldValues(
  db: Queryable,
  filter: HeldFilter,
  after: string,
  limit: number,
): Promise<Pick<HeldRecord, "load" | "record" | "fields" | "values" | "mended">[]> {
  const { rows } = await db.query<Pick<HeldRecord, "load" | "record" | "fields" | "values" | "mended">>(
    `${PAGE} select h.load, h.record, h.field_values as values, h.mended, p.fields
     from page h join loads l on l.id = h.load join plans p on p.id = l.plan order by h.load, h.record`,
    pageParams(filter, after, limit),
  );
  return rows;
}

/** A record that was held before and came again: when, where and for what. */
export interface HeldBefore {
  readonly load: number;
  readonly record: number;
  readonly line: number;
  readonly came: Date;
  readonly problems: Problem[];
}

/** Times that are followed back. */
const MOST_TIMES = 20;

/** Those as which a held record came before and was held, the latest first. */
async function heldBefore(db: Queryable, load: number, record: number): Promise<HeldBefore[]> {
  const { rows } = await db.query<HeldBefore>(
    `with recursive before as (
       select $1::int as load, $2::int as record, 0 as times
       union all
       select h.load, h.record, b.times + 1 from before b
         join sieve.writing w on w.load = b.load and w.kind = 'load'
         join sieve.held h on h.writing = w.id and h.came_as = b.record and h.state = 'closed' and h.feed = w.feed
       where b.times < ${MOST_TIMES}
     )
     select h.load, h.record, h.line, l.ended_at as came, h.problems from before b
       join sieve.held h on h.load = b.load and h.record = b.record join sieve.load l on l.id = h.load
     where b.times > 0 order by h.load desc, h.record`,
    [load, record],
  );
  return rows;
}

/** One held record with its raw text, how its file was read, and as what it came before. Throws `no-record`. */
export async function getHeld(
  db: Queryable,
  load: number,
  record: number,
): Promise<HeldRecord & { raw: string; alike: number; read: ReadOptions | null; before: HeldBefore[] }> {
  const { rows } = await db.query<HeldRecord & { bytes: Buffer; alike: number; read: ReadOptions | null }>(
    `select ${OWN}, l.report->'files'->h.file->>'name' as file, l.report->'files'->h.file->'columns' as columns, ${FIELD_NAMES} as fields,
       h.raw as bytes, l.report->'files'->h.file->'read' as read,
       (select count(*)::int - 1 from sieve.held o where o.load = h.load and o.checks && h.checks) as alike
     from sieve.held h join sieve.load l on l.id = h.load join sieve.plan p on p.id = l.plan where h.load = $1 and h.record = $2`,
    [load, record],
  );
  const row = rows[0];
  if (!row) {
    throw new SieveError("no-record", `Record ${record} of load ${load} is not in the quarantine.`, {
      hint: "It may have been loaded; look at the load.",
    });
  }
  const { bytes, ...rest } = row;
  return { ...rest, raw: rawText(bytes), before: await heldBefore(db, load, record) };
}

/** A held record with who sent it and how its file was read. */
export interface SentRecord {
  readonly load: number;
  readonly record: number;
  readonly feed: string;
  readonly sender: string;
  readonly file: string;
  readonly line: number;
  readonly columns: readonly string[];
  readonly read: ReadOptions;
  readonly cells: readonly string[] | null;
  /** Of one that could not be read, or whose sender gets it as it stood. */
  readonly raw: string;
  readonly problems: readonly Problem[];
}

/** Records of a page. */
const SENT = 1_000;

/**
 * Held records as they go back to their senders: by feed, sender and layout, then in the order in which they came.
 * Those of one moment. `fresh`: those alone that are not with their sender yet.
 */
export async function* heldBySender(
  db: Db,
  filter: HeldFilter,
  { fresh = false } = {},
): AsyncGenerator<readonly SentRecord[]> {
  const file = "l.report->'files'->h.file";
  const sql = `select h.load, h.record, h.feed, ${senderOfHeld("d")} as sender, h.line, h.cells, h.problems, case when h.cells is null or ${file}->'read'->>'as' = any($7) then h.raw end as bytes,
      ${file}->>'name' as file, coalesce(${file}->'columns', '[]') as columns, coalesce(${file}->'read', '{}') as read
    from sieve.held h join sieve.load l on l.id = h.load join sieve.delivery d on d.id = l.delivery
    where ${WHERE} and h.expired_at is null${fresh ? " and h.with_sender is null" : ""}
    order by h.feed, ${senderOfHeld("d")}, md5((${file}->'columns')::text || (${file}->'read')::text), h.load, h.record`;
  const pages = pagesOf<Omit<SentRecord, "raw"> & { bytes: Buffer | null }>(db, SENT, () =>
    Promise.resolve({ sql, params: [...params(filter), NEEDS_RAW] }),
  );
  for await (const rows of pages)
    yield rows.map(({ bytes, ...rest }) => ({ ...rest, raw: bytes ? rawText(bytes) : "" }));
}
