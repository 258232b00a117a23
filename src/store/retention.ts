import type { Retention } from "@/core/plan/retention.ts";
import type { Queryable } from "./db.ts";

/** Days until something expires; null keeps it for ever. */
/** What a feed starts with: a year and a month, so that the same month of the year before is there to be compared with. */
export const FIRST_RETENTION: Retention = { bytesDays: 400, ledgerDays: 400, settledDays: 400, undoLoads: 5 };
/** What holds for a feed for which nothing was ever set, as of before there were settings. */
const UNSET: Retention = { bytesDays: null, ledgerDays: null, settledDays: null, undoLoads: 5 };

const COLUMNS = `bytes_days as "bytesDays", ledger_days as "ledgerDays", settled_days as "settledDays", undo_loads as "undoLoads"`;

export async function retentionOf(db: Queryable, feed: string): Promise<Retention> {
  const { rows } = await db.query<Retention>(
    `select ${COLUMNS} from sieve.retention where feed = $1 order by id desc limit 1`,
    [feed],
  );
  return rows[0] ?? UNSET;
}

/** A setting of the past, with who made it. */
export interface RetentionVersion extends Retention {
  readonly by: string;
  readonly at: Date;
}

/** All settings of a feed, the newest first. */
export async function retentionHistory(db: Queryable, feed: string): Promise<RetentionVersion[]> {
  const { rows } = await db.query<RetentionVersion>(
    `select ${COLUMNS}, made_by as by, made_at as at from sieve.retention where feed = $1 order by id desc limit 100`,
    [feed],
  );
  return rows;
}

/** Sets how long what is kept of a feed that is there, from the next run on. */
export async function setRetention(db: Queryable, feed: string, keep: Retention, by: string): Promise<void> {
  await db.query(
    `insert into sieve.retention (feed, bytes_days, ledger_days, settled_days, undo_loads, made_by)
     values ($1, $2, $3, $4, $5, $6)`,
    [feed, keep.bytesDays, keep.ledgerDays, keep.settledDays, keep.undoLoads, by],
  );
}

/** That a load `l` still needs what is kept of its delivery: it has not ended, or a person is to see to its records. */
const NEEDED = `l.state in ('queued', 'running', 'stopped')
  or exists (select from sieve.held h where h.load = l.id and h.state in ('held', 'overtaken'))
  or exists (select from sieve.waiting w where w.load = l.id and w.state = 'waiting')`;

/** Each of these is about one feed, $1, and a number of days, $2. */
export const EXPIRED = {
  /** Files `f` whose bytes expire. */
  bytes: `from sieve.delivery_file f join sieve.delivery d on d.id = f.delivery
    where d.feed = $1 and f.expired_at is null and f.sha256 is not null
      and d.received_at < now() - make_interval(days => $2)
      and not exists (select from sieve.load l where l.delivery = d.id and (${NEEDED}))`,
  /** Loads `l` whose detail expires. */
  ledger: `from sieve.load l where l.feed = $1 and l.expired_at is null and l.ended_at < now() - make_interval(days => $2)
      and not (${NEEDED})`,
  /** Held records `h` that were settled, and whose content expires. */
  settled: `from sieve.held h where h.feed = $1 and h.expired_at is null and h.state in ('released', 'discarded', 'closed')
      and h.ended_at < now() - make_interval(days => $2)`,
} as const;

/** Uploads that nobody goes on with: files `f` that have not come whole for a day. */
export const ABANDONED = `from sieve.delivery_file f join sieve.delivery d on d.id = f.delivery
  where f.sha256 is null and d.received_at < now() - interval '1 day'`;

/** What would expire now, or has expired in a run. */
export interface Expiring {
  readonly files: number;
  readonly bytes: number;
  readonly loads: number;
  readonly records: number;
  readonly held: number;
}

/** What would expire of a feed now, if it were kept for so long. */
export async function expiringNow(db: Queryable, feed: string, keep: Retention): Promise<Expiring> {
  const count = async (what: keyof typeof EXPIRED, select: string, days: number | null): Promise<[number, number]> => {
    if (days === null) return [0, 0];
    const { rows } = await db.query<{ n: number; sum: number }>(
      `select count(*)::int as n, coalesce(${select}, 0)::bigint as sum ${EXPIRED[what]}`,
      [feed, days],
    );
    return [rows[0]!.n, rows[0]!.sum];
  };
  const [files, bytes] = await count("bytes", "sum(f.bytes)", keep.bytesDays);
  const [loads, records] = await count("ledger", "sum(l.read)", keep.ledgerDays);
  const [held] = await count("settled", "0", keep.settledDays);
  return { files, bytes, loads, records, held };
}

/** What is kept of a feed, in bytes of disk, with what it is kept for. */
export interface FeedRoom {
  readonly feed: string;
  readonly title: string;
  readonly keep: Retention;
  /** Files as they came. */
  readonly bytes: number;
  /** What is known of single records of loads: outcomes, blocks that were read, what was found late. */
  readonly ledger: number;
  /** The quarantine, settled records too. */
  readonly quarantine: number;
  /** Rows of the target as they were. */
  readonly undo: number;
  readonly target: number;
}

/** What takes how much room, by feed, the largest first. What many feeds share a table for is told apart by its rows. */
export async function roomByFeed(db: Queryable): Promise<FeedRoom[]> {
  const { rows } = await db.query<Omit<FeedRoom, "keep"> & Partial<Retention>>(
    `with sized as (
       select (select pg_total_relation_size('sieve.held')::float8 / greatest(count(*), 1) from sieve.held) as held,
         (select pg_total_relation_size('sieve.late_problem')::float8 / greatest(count(*), 1) from sieve.late_problem) as late,
         (select pg_total_relation_size('sieve.kept_cell')::float8 / greatest(count(*), 1) from sieve.kept_cell) as kept,
         (select pg_total_relation_size('sieve.row_before')::float8 / greatest(count(*), 1) from sieve.row_before) as before)
     select f.name as feed, f.title,
       coalesce((select sum(x.bytes) from sieve.delivery_file x join sieve.delivery d on d.id = x.delivery
         where d.feed = f.name and x.expired_at is null), 0)::bigint as bytes,
       (coalesce((select sum(octet_length(b.outcomes) + coalesce(octet_length(b.packed), 0) + 400)
           from sieve.ledger_block b join sieve.load l on l.id = b.load where l.feed = f.name), 0)
         + late * (select count(*) from sieve.late_problem p join sieve.load l on l.id = p.load where l.feed = f.name)
         + kept * (select count(*) from sieve.kept_cell p join sieve.load l on l.id = p.load where l.feed = f.name))::bigint as ledger,
       (held * (select count(*) from sieve.held h where h.feed = f.name))::bigint as quarantine,
       (coalesce((select sum(pg_total_relation_size(to_regclass(format('undo.%I', 'writing ' || w.id))))
           from sieve.writing w where w.feed = f.name), 0)
         + before * (select count(*) from sieve.row_before r join sieve.writing w on w.id = r.writing where w.feed = f.name))::bigint as undo,
       coalesce((select sum(pg_total_relation_size(to_regclass(t.target)))
         from (select distinct w.target from sieve.writing w where w.feed = f.name) t), 0)::bigint as target,
       k.*
     from sized, sieve.feed f
       left join lateral (select ${COLUMNS} from sieve.retention r where r.feed = f.name order by r.id desc limit 1) k on true`,
  );
  return rows
    .map(({ bytesDays, ledgerDays, settledDays, undoLoads, ...room }) => ({
      ...room,
      keep:
        undoLoads === undefined || undoLoads === null
          ? UNSET
          : { bytesDays: bytesDays!, ledgerDays: ledgerDays!, settledDays: settledDays!, undoLoads },
    }))
    .sort((a, b) => total(b) - total(a) || (a.feed < b.feed ? -1 : 1));
}

const total = (r: FeedRoom): number => r.bytes + r.ledger + r.quarantine + r.undo + r.target;

/** What a run of the retention took away. */
export interface Took {
  /** Uploads that nobody went on with. */
  uploads: number;
  files: number;
  bytes: number;
  loads: number;
  records: number;
  held: number;
  /** Writings whose rows are no longer kept as they were. */
  writings: number;
}

export const NOTHING_TAKEN: Took = { uploads: 0, files: 0, bytes: 0, loads: 0, records: 0, held: 0, writings: 0 };

export interface RetentionRun {
  readonly id: number;
  readonly by: string;
  readonly beganAt: Date;
  readonly endedAt: Date | null;
  readonly took: Took;
  readonly error: { readonly message: string } | null;
}

/** The runs, the latest first. */
export async function retentionRuns(db: Queryable, limit = 14): Promise<RetentionRun[]> {
  const { rows } = await db.query<Omit<RetentionRun, "took"> & { took: Partial<Took> }>(
    `select id, asked_by as by, began_at as "beganAt", ended_at as "endedAt", took, error
     from sieve.retention_run order by id desc limit $1`,
    [limit],
  );
  return rows.map((r) => ({ ...r, took: { ...NOTHING_TAKEN, ...r.took } }));
}

/** Asks a worker to take away now what has expired; one run at a time. */
export async function askForRetention(db: Queryable, by: string): Promise<void> {
  await db.query(
    `select graphile_worker.add_job('retention', json_build_object('by', $1::text), max_attempts => 1, job_key => 'retention')`,
    [by],
  );
}
