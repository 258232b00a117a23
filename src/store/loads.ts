import { endWithAfter } from "./after.ts";
import { OUTCOMES, type Balance } from "@/core/kernel/ledger.ts";
import type { ChecksOff, LoadInputs } from "@/core/course/compiled.ts";
import { SieveError, errorLines } from "@/core/kernel/problem.ts";
import type { Run } from "@/core/plan/parameters.ts";
import type { LoadReport } from "@/core/report/report.ts";
import type { Queryable } from "./db.ts";

/** What a load is given beside its plan, its lists and its files. Its day is that on which it was asked for, in UTC. */
export function inputsOf({ checksOff, askedAt, run }: Pick<Load, "checksOff" | "askedAt" | "run">): LoadInputs {
  return { off: checksOff, day: dayOf(askedAt), run };
}

/** The day of a moment in UTC, as ISO 8601. */
export function dayOf(moment: Date): string {
  return moment.toISOString().slice(0, 10);
}

export type LoadState =
  | "queued"
  | "running"
  | "loaded"
  | "stopped"
  | "failed"
  | "cancelled"
  | "dropped"
  | "tried"
  | "undone";

export interface Load {
  id: number;
  feed: string;
  delivery: number;
  plan: number;
  planVersion: number | null;
  kind: "load" | "trial";
  state: LoadState;
  again: boolean;
  letThrough: string | null;
  dropped: string | null;
  /** Why a person undid it, who and when. */
  undone: string | null;
  undoneBy: string;
  undoneAt: Date | null;
  /** Checks that it does without, by key, each with the reason. */
  checksOff: ChecksOff;
  /** What it was told beside its plan. */
  run: Run;
  /** Who asked for it. */
  askedBy: string;
  cancelAsked: boolean;
  attempts: number;
  /** How often a worker that ran it ended unasked. */
  deaths: number;
  /** Bytes of memory that its worker used last. */
  memorySoFar: number;
  /** The number of its writing; none for a trial, and for loads of before writings were numbered. */
  writing: number | null;
  stage: string;
  recordsSoFar: number;
  bytesSoFar: number;
  bytesTotal: number;
  askedAt: Date;
  startedAt: Date | null;
  endedAt: Date | null;
  read: number | null;
  inserted: number | null;
  updated: number | null;
  unchanged: number | null;
  merged: number | null;
  held: number | null;
  waiting: number | null;
  leftOut: number | null;
  report: LoadReport | null;
  error: { message: string; detail: string; hint: string } | null;
  /** When what was known of its single records went, by the feed's retention. */
  expiredAt: Date | null;
}

const LOAD = `l.id, l.feed, l.delivery, l.plan, p.version as "planVersion", l.kind, l.state, l.again,
  l.let_through as "letThrough", l.dropped, l.undone, l.undone_by as "undoneBy",
  l.undone_at as "undoneAt", l.checks_off as "checksOff", l.run, l.asked_by as "askedBy", l.cancel_asked as "cancelAsked", l.attempts, l.deaths,
  l.memory_so_far as "memorySoFar", l.writing, l.stage,
  l.records_so_far as "recordsSoFar", l.bytes_so_far as "bytesSoFar", l.bytes_total as "bytesTotal",
  l.asked_at as "askedAt", l.started_at as "startedAt", l.ended_at as "endedAt", l.read, l.inserted,
  l.updated, l.unchanged, l.merged, l.held, l.waiting, l.left_out as "leftOut", l.error,
  l.expired_at as "expiredAt"`;

/** Throws `no-load`. */
export async function getLoad(db: Queryable, id: number): Promise<Load> {
  const { rows } = await db.query<Load>(
    `select ${LOAD}, l.report from sieve.load l join sieve.plan p on p.id = l.plan where l.id = $1`,
    [id],
  );
  if (!rows[0]) throw new SieveError("no-load", `There is no load ${id}.`, { hint: "Check the number." });
  return rows[0];
}

/** Throws `detail-expired` where what was known of a load's single records is no longer kept. */
export function needDetail({ id, expiredAt }: Pick<Load, "id" | "expiredAt">): void {
  if (expiredAt === null) return;
  throw new SieveError("detail-expired", `What was known of the single records of load ${id} is no longer kept.`, {
    detail: `It expired on ${expiredAt.toISOString().slice(0, 10)} by the feed’s retention. Its balance and its report are kept.`,
    hint: "Figures of the report stay; the records behind them can’t be shown any more.",
  });
}

/** A load in a list, with what its delivery was and what is still held of it. */
export interface LoadRow extends Omit<Load, "report"> {
  feedTitle: string;
  sender: string;
  files: string[];
  stillHeld: number;
  sift: LoadReport["sift"] | null;
  drift: LoadReport["drift"] | null;
  closedGates: string[];
  topReason: string;
}

/** The load of a delivery, the latest where there are several; null for none. */
export async function loadOfDelivery(db: Queryable, delivery: number): Promise<Load | null> {
  const { rows } = await db.query<{ id: number }>(
    "select id from sieve.load where delivery = $1 and kind = 'load' order by id desc limit 1",
    [delivery],
  );
  return rows[0] ? await getLoad(db, rows[0].id) : null;
}

export async function listLoads(
  db: Queryable,
  where: { feed?: string; since?: Date; sender?: string; limit?: number } = {},
): Promise<LoadRow[]> {
  const { rows } = await db.query<LoadRow>(
    `select ${LOAD}, f.title as "feedTitle", d.sender,
       array(select name from sieve.delivery_file df where df.delivery = d.id order by position) as files,
       (select count(*) from sieve.held h where h.load = l.id and h.state = 'held')::int as "stillHeld",
       l.report->'sift' as sift, l.report->'drift' as drift,
       coalesce(array(select g->>'message' from jsonb_array_elements(l.report->'gates') g where not (g->>'passed')::boolean), '{}') as "closedGates",
       coalesce((select case t->>'outcome' when 'held' then t->>'reason' else (t->>'count') || ' ' || (t->>'outcome') end
         from jsonb_array_elements(l.report->'sift') s, jsonb_array_elements(s->'trays') t
         order by t->>'outcome' = 'held' desc, (t->>'count')::bigint desc limit 1), '') as "topReason"
     from sieve.load l join sieve.plan p on p.id = l.plan join sieve.feed f on f.name = l.feed
       join sieve.delivery d on d.id = l.delivery
     where l.kind = 'load' and ($1::text is null or l.feed = $1) and ($2::timestamptz is null or l.asked_at >= $2)
       and ($4::text is null or exists (select from sieve.load_of_sender s where s.load = l.id and s.sender = $4))
     order by l.id desc limit $3`,
    [where.feed ?? null, where.since ?? null, where.limit ?? 200, where.sender ?? null],
  );
  return rows;
}

export function needReason(reason: string): void {
  if (reason.trim() === "") {
    throw new SieveError("reason-missing", "A reason is needed.", {
      hint: "Say in a few words why, for whoever reads the report.",
    });
  }
}

/** Ends a load that can't go on. */
export async function failLoad(
  db: Queryable,
  id: number,
  state: "failed" | "cancelled",
  error?: unknown,
): Promise<void> {
  const shown =
    error instanceof SieveError
      ? { message: error.message, detail: error.detail, hint: error.hint }
      : error
        ? {
            message: "The load could not be finished.",
            detail: errorLines(error).replace(/^error: /, ""),
            hint: "Nothing was written to the target. Load it again; if it fails again, look at the worker's log.",
          }
        : null;
  await endWithAfter(
    db,
    id,
    "update sieve.load set state = $2, error = $3, ended_at = now(), stage = '' where id = $1",
    [id, state, shown ? JSON.stringify(shown) : null],
  );
  await releaseClaim(db, id);
}

/** Writes how a load ended, with its balance and report. */
export async function endLoad(
  db: Queryable,
  id: number,
  state: "loaded" | "stopped" | "tried",
  balance: Balance,
  report: LoadReport,
): Promise<void> {
  await endWithAfter(
    db,
    id,
    `update sieve.load set state = $2, report = $3, read = $4, inserted = $5, updated = $6, unchanged = $7,
       merged = $8, held = $9, waiting = $10, left_out = $11, records_so_far = $4, bytes_so_far = bytes_total,
       stage = '', ended_at = clock_timestamp() where id = $1`,
    [id, state, JSON.stringify(report), balance.read, ...OUTCOMES.map((o) => balance.outcomes[o])],
  );
}

export async function releaseClaim(client: Queryable, id: number): Promise<void> {
  await client.query("delete from sieve.loaded_file where load = $1", [id]);
}
