import type { AfterAction, AfterOutcome } from "@/core/plan/after.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { transaction, type Db, type Queryable } from "./db.ts";

/** Something that is done after a load, and what came of it. */
export interface AfterLoad {
  readonly load: number;
  readonly feed: string;
  readonly outcome: AfterOutcome;
  /** The place of the action in the plan. */
  readonly n: number;
  readonly action: AfterAction;
  readonly state: "waiting" | "done" | "failed";
  readonly attempts: number;
  readonly nextAt: Date;
  readonly answer: string;
  /** Of what writes, puts or gives files: how many were there in the end, and how many records in them. */
  readonly files: number | null;
  readonly records: number | null;
  readonly endedAt: Date | null;
  /** Of a notice: when somebody has seen to it, and who. */
  readonly seenAt: Date | null;
  readonly seenBy: string;
}

const AFTER = `a.load, l.feed, a.outcome, a.n, a.action, a.state, a.attempts, a.next_at as "nextAt", a.answer, a.files, a.records::float8 as records, a.ended_at as "endedAt",
  a.seen_at as "seenAt", a.seen_by as "seenBy"`;

async function enqueue(db: Queryable, load: number, at: Date | null): Promise<void> {
  await db.query(
    `select graphile_worker.add_job('after', json_build_object('load', $1::int), queue_name => $2, job_key => $2, max_attempts => 25,
       run_at => coalesce($3::timestamptz, now()))`,
    [load, `after load ${load}`, at],
  );
}

/** What an attempt came to, in words, and what went out by it. */
export interface Came {
  readonly answer: string;
  readonly files?: number;
  readonly records?: number;
}

/** The statement that asks for what the plans of some ended loads say, `l`: their id, plan, kind, state and held records. */
const ASK = (ended: string): string => `
  insert into sieve.after_load (load, outcome, n, action)
  select l.id, o.outcome, a.n - 1, a.action from ${ended} l join sieve.plan p on p.id = l.plan,
    lateral (select case when l.state = 'loaded' and coalesce(l.held, 0) > 0 then 'loaded with held' else l.state end as outcome) o,
    jsonb_array_elements(case jsonb_typeof(p.document->'after') when 'array' then p.document->'after' else '[]' end) with ordinality as a (action, n)
  where l.kind = 'load' and l.state in ('loaded', 'stopped', 'failed') and a.action->'on' ? o.outcome
  on conflict (load, outcome, n) do nothing`;

/**
 * Ends a load by a statement that gives the row, and asks in the same statement for what its plan says is to be done after
 * such an end: neither is there without the other.
 * @param ending an update of sieve.load of one row, without its returning
 */
export async function endWithAfter(db: Queryable, load: number, ending: string, values: unknown[]): Promise<void> {
  const { rowCount } = await db.query(
    `with ended as (${ending} returning id, plan, kind, state, held) ${ASK("ended")}`,
    values,
  );
  if (rowCount) await enqueue(db, load, null);
}

/** Writes down what was done together with a load, in its transaction. */
export async function noteDone(
  client: Queryable,
  { load, outcome, n, action, answer }: Pick<AfterLoad, "load" | "outcome" | "n" | "action" | "answer">,
): Promise<void> {
  await client.query(
    `insert into sieve.after_load (load, outcome, n, action, state, attempts, answer, ended_at)
     values ($1, $2, $3, $4, 'done', 1, $5, now())
     on conflict (load, outcome, n) do update set answer = excluded.answer, ended_at = excluded.ended_at`,
    [load, outcome, n, JSON.stringify(action), answer],
  );
}

/** Loads after which something should have been done by now that nobody has in the queue. */
export async function enqueueForgotten(db: Queryable): Promise<void> {
  const { rows } = await db.query<{ load: number }>(
    `select distinct a.load from sieve.after_load a where a.state = 'waiting' and a.next_at < now() - interval '1 minute'
       and not exists (select from graphile_worker.jobs j where j.key = 'after load ' || a.load)`,
  );
  for (const { load } of rows) await enqueue(db, load, null);
}

/** What is done after a load. */
export async function afterOf(db: Queryable, load: number): Promise<AfterLoad[]> {
  const { rows } = await db.query<AfterLoad>(
    `select ${AFTER} from sieve.after_load a join sieve.load l on l.id = a.load where a.load = $1 order by a.made_at, a.n`,
    [load],
  );
  return rows;
}

/** What was to be done and has failed, the latest first. */
export async function failedAfter(db: Queryable, since: Date): Promise<AfterLoad[]> {
  const { rows } = await db.query<AfterLoad>(
    `select ${AFTER} from sieve.after_load a join sieve.load l on l.id = a.load
     where a.state = 'failed' and a.ended_at >= $1 order by a.ended_at desc limit 100`,
    [since],
  );
  return rows;
}

/** Notices that nobody has seen to yet, the latest first. */
export async function openNotices(db: Queryable): Promise<AfterLoad[]> {
  const { rows } = await db.query<AfterLoad>(
    `select ${AFTER} from sieve.after_load a join sieve.load l on l.id = a.load
     where a.action->>'do' = 'notice' and a.seen_at is null and a.state = 'done' order by a.ended_at desc, a.load desc, a.n limit 200`,
  );
  return rows;
}

const noAfter = (load: number, n: number): SieveError =>
  new SieveError("no-after", `Nothing is done after load ${load} that has the number ${n + 1}.`, {
    hint: "Look at the load again.",
  });

/** Notes that somebody has seen to a notice, or, with null, that nobody has. Throws `no-after`. */
export async function seeTo(
  db: Queryable,
  load: number,
  outcome: AfterOutcome,
  n: number,
  by: string | null,
): Promise<void> {
  const { rowCount } = await db.query(
    `update sieve.after_load set seen_at = case when $4::text is not null then now() end, seen_by = coalesce($4, '')
     where load = $1 and outcome = $2 and n = $3 and action->>'do' = 'notice'`,
    [load, outcome, n, by],
  );
  if (rowCount === 0) throw noAfter(load, n);
}

/** The next one of a load whose time has come. */
export async function nextAfter(db: Queryable, load: number): Promise<AfterLoad | null> {
  const { rows } = await db.query<AfterLoad>(
    `select ${AFTER} from sieve.after_load a join sieve.load l on l.id = a.load
     where a.load = $1 and a.state = 'waiting' and a.next_at <= now() order by a.made_at, a.n limit 1`,
    [load],
  );
  return rows[0] ?? null;
}

/** Writes down what came of an attempt; `again`: after how many seconds it is tried once more. */
export async function endAfter(
  db: Queryable,
  { load, outcome, n }: Pick<AfterLoad, "load" | "outcome" | "n">,
  came: Came & { readonly done: boolean; readonly again?: number | undefined },
): Promise<void> {
  const state = came.done ? "done" : came.again === undefined ? "failed" : "waiting";
  await db.query(
    `update sieve.after_load set state = $4, attempts = attempts + 1, answer = $5, files = $7, records = $8, next_at = now() + make_interval(secs => $6),
       ended_at = case when $4 = 'waiting' then null else now() end where load = $1 and outcome = $2 and n = $3`,
    [load, outcome, n, state, came.answer.slice(0, 2000), came.again ?? 0, came.files, came.records],
  );
}

/** Puts what still waits into the queue, for the time at which the first of it is due. */
export async function enqueueWaiting(db: Queryable, load: number): Promise<void> {
  const { rows } = await db.query<{ at: Date | null }>(
    "select min(next_at) as at from sieve.after_load where load = $1 and state = 'waiting'",
    [load],
  );
  if (rows[0]!.at) await enqueue(db, load, rows[0]!.at);
}

/** Has something done once more, whatever came of it. Throws `no-after`. */
export async function doAgain(db: Db, load: number, outcome: AfterOutcome, n: number, by: string): Promise<void> {
  await transaction(db, async (client) => {
    const { rowCount } = await client.query(
      `update sieve.after_load set state = 'waiting', attempts = 0, next_at = now(), ended_at = null, asked_by = $4, files = null, records = null,
         seen_at = null, seen_by = ''
       where load = $1 and outcome = $2 and n = $3`,
      [load, outcome, n, by],
    );
    if (rowCount === 0) throw noAfter(load, n);
    await enqueue(client, load, null);
  });
}
