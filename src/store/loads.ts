import { endWithAfter } from "./after.ts";
import type { HistoryEntry } from "@/core/gate/part.ts";
import { HISTORY_LOADS } from "@/core/gate/usual.ts";
import { OUTCOMES, type Balance, type Outcome } from "@/core/kernel/ledger.ts";
import { canSwitchOff, compilePlan } from "@/core/course/compile.ts";
import type { ChecksOff, LoadInputs } from "@/core/course/compiled.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError, errorLines, listed } from "@/core/kernel/problem.ts";
import type { LoadReport } from "@/core/report/report.ts";
import { transaction, type Client, type Db, type Queryable } from "./db.ts";
import { bytesExpired, getDelivery } from "./deliveries.ts";
import { getPlan, planInForce } from "./feeds.ts";
import { enqueueLoad } from "./queue.ts";

/** What a load is given beside its plan, its lists and its files. Its day is that on which it was asked for, in UTC. */
export function inputsOf({ checksOff, askedAt }: Pick<Load, "checksOff" | "askedAt">): LoadInputs {
  return { off: checksOff, day: dayOf(askedAt) };
}

/** The day of a moment in UTC, as ISO 8601. */
export function dayOf(moment: Date): string {
  return moment.toISOString().slice(0, 10);
}

export type LoadState =
  "queued" | "running" | "loaded" | "stopped" | "failed" | "cancelled" | "dropped" | "tried" | "undone";

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
  l.undone_at as "undoneAt", l.checks_off as "checksOff", l.asked_by as "askedBy", l.cancel_asked as "cancelAsked", l.attempts, l.deaths,
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

export async function listLoads(
  db: Queryable,
  where: { feed?: string; since?: Date; limit?: number } = {},
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
     order by l.id desc limit $3`,
    [where.feed ?? null, where.since ?? null, where.limit ?? 200],
  );
  return rows;
}

/**
 * Asks for a delivery to be loaded by the plan in force. The same bytes are loaded into one feed
 * once: throws `loaded-before` with the earlier load, unless `again`.
 */
export async function askForLoad(
  db: Db,
  delivery: number,
  again = false,
  without?: Without,
  by = "steward",
): Promise<number> {
  return await transaction(db, async (client) => {
    const { feed, files } = await wholeDelivery(client, delivery);
    const plan = await planInForce(client, feed);
    const id = await newLoad(client, { feed, delivery, plan: plan.id, kind: "load", again, by });
    if (without) await switchOff(client, id, plan.document, without);
    for (const file of files) {
      const { rows } = await client.query<{ load: number }>(
        `insert into sieve.loaded_file (feed, sha256, load) values ($1, decode($2, 'hex'), $3)
         on conflict (feed, sha256) do update set load = loaded_file.load returning load`,
        [feed, file.sha256, id],
      );
      const earlier = rows[0]!.load;
      if (earlier !== id && !again) {
        throw new SieveError("loaded-before", `${file.name} was loaded into this feed before, in load ${earlier}.`, {
          detail: `Its SHA-256 is ${file.sha256}.`,
          hint: "Open that load, or say that it is to be loaded again.",
          facts: { load: earlier, delivery },
        });
      }
    }
    await enqueueLoad(client, id, feed);
    return id;
  });
}

/** Asks for a trial of a plan over a delivery: a whole run that writes nothing to the target. */
export async function askForTrial(db: Db, delivery: number, plan: number): Promise<number> {
  return await transaction(db, async (client) => {
    const { feed } = await wholeDelivery(client, delivery);
    const id = await newLoad(client, { feed, delivery, plan, kind: "trial", again: false, by: "steward" });
    await enqueueLoad(client, id, feed);
    return id;
  });
}

/**
 * A trial of a plan on a delivery to hold others against: the newest that has ended or is under way,
 * when nothing was loaded into the feed since; else a new one.
 */
export async function trialOf(db: Db, delivery: number, plan: number): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    `select t.id from sieve.load t where t.delivery = $1 and t.plan = $2 and t.kind = 'trial'
       and t.state in ('queued', 'running', 'tried')
       and not exists (select from sieve.load l where l.feed = t.feed and l.state = 'loaded' and l.ended_at > t.asked_at)
     order by t.id desc limit 1`,
    [delivery, plan],
  );
  return rows[0]?.id ?? (await askForTrial(db, delivery, plan));
}

async function wholeDelivery(client: Client, id: number) {
  // Its bytes do not expire from here until the load is there that needs them.
  await client.query("select from sieve.delivery where id = $1 for key share", [id]);
  const delivery = await getDelivery(client, id);
  if (delivery.files.length === 0) throw new SieveError("delivery-empty", `Delivery ${id} has no files.`);
  const unfinished = delivery.files.find((f) => f.sha256 === null);
  if (unfinished) {
    throw new SieveError("upload-cut", `${unfinished.name} has not arrived whole.`, {
      hint: "Wait for it, or send it again.",
    });
  }
  const gone = delivery.files.find((f) => f.expiredAt !== null);
  if (gone) throw bytesExpired(gone);
  return delivery;
}

async function newLoad(
  client: Client,
  of: { feed: string; delivery: number; plan: number; kind: "load" | "trial"; again: boolean; by: string },
): Promise<number> {
  const { rows } = await client.query<{ id: number }>(
    `insert into sieve.load (feed, delivery, plan, kind, again, asked_by, bytes_total)
     select $1, $2, $3, $4, $5, $6, coalesce(sum(bytes), 0) from sieve.delivery_file where delivery = $2 returning id`,
    [of.feed, of.delivery, of.plan, of.kind, of.again, of.by],
  );
  return rows[0]!.id;
}

/** Lets a load that stopped at a gate go on, with the reason. It is run again from its inputs. */
export async function letThrough(db: Db, id: number, reason: string): Promise<void> {
  needReason(reason);
  await transaction(db, async (client) => {
    const load = await inState(client, id, ["stopped"]);
    await client.query(
      "update sieve.load set state = 'queued', let_through = $2, ended_at = null, cancel_asked = false where id = $1",
      [id, reason],
    );
    await enqueueLoad(client, id, load.feed);
  });
}

/** Checks that a load is to do without, by key, and why. */
export interface Without {
  readonly checks: readonly string[];
  readonly reason: string;
}

/**
 * Runs a load that stopped at a gate again without some checks; the gates are measured anew. Throws
 * `no-check` and `check-needed`.
 */
export async function runWithout(db: Db, id: number, without: Without): Promise<void> {
  await transaction(db, async (client) => {
    const load = await inState(client, id, ["stopped"]);
    const { plan } = await getLoad(client, id);
    await client.query("update sieve.load set state = 'queued', ended_at = null, cancel_asked = false where id = $1", [
      id,
    ]);
    await switchOff(client, id, (await getPlan(client, plan)).document, without);
    await enqueueLoad(client, id, load.feed);
  });
}

async function switchOff(client: Client, id: number, plan: Plan, { checks, reason }: Without): Promise<void> {
  needReason(reason);
  const known = compilePlan(plan).checks;
  for (const key of checks) {
    const check = known.find((c) => c.key === key);
    if (!check) {
      throw new SieveError("no-check", `The plan has no check “${key}”.`, {
        detail: `Its checks are ${listed(known.filter((c) => canSwitchOff(plan, c)).map((c) => c.key))}.`,
        hint: "Name one of these.",
      });
    }
    if (!canSwitchOff(plan, check)) {
      throw new SieveError("check-needed", `The check that ${check.title} can't be switched off.`, {
        detail: "Without it the records could not be written to the target.",
        hint: "Mend the records, or change the plan.",
      });
    }
  }
  await client.query("update sieve.load set checks_off = checks_off || $2 where id = $1", [
    id,
    JSON.stringify(Object.fromEntries(checks.map((key) => [key, reason]))),
  ]);
}

/** How often a check of a feed has found something, over its loads. */
export interface CheckHistory {
  readonly key: string;
  readonly fault: string;
  /** Loads that made it, those in which it found something, and the last of them. */
  readonly loads: number;
  readonly fired: number;
  readonly last: number | null;
  readonly problems: number;
}

/** The newest loads that are looked at. */
const HISTORY_OF_CHECKS = 200;

export async function checkHistory(db: Queryable, feed: string): Promise<CheckHistory[]> {
  const { rows } = await db.query<CheckHistory>(
    `select c->>'key' as key, (array_agg(c->>'fault' order by l.id desc))[1] as fault, count(*)::int as loads,
       count(*) filter (where (c->>'problems')::bigint > 0)::int as fired,
       max(l.id) filter (where (c->>'problems')::bigint > 0) as last,
       sum((c->>'problems')::bigint)::float8 as problems
     from (select id, report from sieve.load where feed = $1 and kind = 'load' and state = 'loaded'
         order by id desc limit $2) l, jsonb_array_elements(l.report->'checks') c
     where not c ? 'off'
     group by 1 order by problems desc, 1`,
    [feed, HISTORY_OF_CHECKS],
  );
  return rows;
}

/** Drops a load that stopped at a gate. Its bytes may be loaded again. */
export async function dropLoad(db: Db, id: number, reason: string): Promise<void> {
  needReason(reason);
  await transaction(db, async (client) => {
    await inState(client, id, ["stopped"]);
    await client.query("update sieve.load set state = 'dropped', dropped = $2 where id = $1", [id, reason]);
    await releaseClaim(client, id);
  });
}

export async function releaseClaim(client: Queryable, id: number): Promise<void> {
  await client.query("delete from sieve.loaded_file where load = $1", [id]);
}

async function inState(client: Client, id: number, states: LoadState[]): Promise<{ feed: string; state: LoadState }> {
  const { rows } = await client.query<{ feed: string; state: LoadState }>(
    "select feed, state from sieve.load where id = $1 for update",
    [id],
  );
  if (!rows[0]) throw new SieveError("no-load", `There is no load ${id}.`);
  if (!states.includes(rows[0].state)) {
    throw new SieveError("wrong-state", `Load ${id} is ${rows[0].state}, so this can't be done.`, {
      detail: `It can be done to a load that is ${states.join(" or ")}.`,
      hint: "Look at the load again; someone else may have decided.",
    });
  }
  return rows[0];
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

/** A trial that said what a load would come to, and what has changed between the two. */
export interface TrialBefore {
  readonly id: number;
  /** Outcomes of which the load has another number than the trial said; none where it came as said. */
  readonly apart: readonly { readonly outcome: Outcome; readonly tried: number; readonly loaded: number }[];
  /** Loads that went into the same target between them, and lists that had another version. */
  readonly loads: readonly number[];
  readonly lists: readonly { readonly list: string; readonly tried: number; readonly loaded: number }[];
}

/** The last trial of the same plan over the same delivery that ended before a load closed; null where there was none. */
export async function trialBefore(db: Queryable, id: number): Promise<TrialBefore | null> {
  const counts = (alias: string): string =>
    `array[${alias}.inserted, ${alias}.updated, ${alias}.unchanged, ${alias}.merged, ${alias}.held, ${alias}.waiting, ${alias}.left_out]::int[]`;
  const { rows } = await db.query<{ id: number; tried: number[]; loaded: number[]; loads: number[] | null }>(
    `select t.id, ${counts("t")} as tried, ${counts("l")} as loaded,
       (select array_agg(o.id order by o.id) from sieve.load o join sieve.plan po on po.id = o.plan
        where o.kind = 'load' and o.state = 'loaded' and o.id <> l.id and o.ended_at > t.ended_at and o.ended_at < l.ended_at
          and po.document->'load'->'target' = pl.document->'load'->'target') as loads
     from sieve.load l join sieve.plan pl on pl.id = l.plan
       join sieve.load t on t.delivery = l.delivery and t.kind = 'trial' and t.state = 'tried' and t.ended_at < l.ended_at
       join sieve.plan pt on pt.id = t.plan and pt.document = pl.document
     where l.id = $1 and l.kind = 'load' and l.state = 'loaded' and l.checks_off = '{}' order by t.id desc limit 1`,
    [id],
  );
  const found = rows[0];
  if (!found) return null;
  const { rows: lists } = await db.query<{ list: string; tried: number; loaded: number }>(
    `select a.list, a.version as tried, b.version as loaded from sieve.load_reference a
     join sieve.load_reference b on b.list = a.list and b.load = $2
     where a.load = $1 and a.version <> b.version order by 1`,
    [found.id, id],
  );
  return {
    id: found.id,
    apart: OUTCOMES.map((outcome, i) => ({ outcome, tried: found.tried[i]!, loaded: found.loaded[i]! })).filter(
      (o) => o.tried !== o.loaded,
    ),
    loads: found.loads ?? [],
    lists,
  };
}

/** The columns of each file in the load before this one of what the same sender sent to the feed. */
export async function columnsBefore(
  db: Queryable,
  load: Pick<Load, "id" | "feed">,
  sender: string,
): Promise<string[][]> {
  const { rows } = await db.query<{ columns: string[][] }>(
    `select (select jsonb_agg(f->'columns') from jsonb_array_elements(l.report->'files') f) as columns
     from sieve.load l join sieve.delivery d on d.id = l.delivery
     where l.feed = $1 and l.id < $2 and l.state = 'loaded' and d.sender = $3 order by l.id desc limit 1`,
    [load.feed, load.id, sender],
  );
  return rows[0]?.columns ?? [];
}

/** What the loads of a sender before one had, the newest first. */
export async function historyBefore(
  db: Queryable,
  load: Pick<Load, "id" | "feed">,
  sender: string,
  limit = HISTORY_LOADS,
): Promise<HistoryEntry[]> {
  const { rows } = await db.query<HistoryEntry>(
    `select l.read, coalesce((select jsonb_agg(jsonb_build_object('name', f->'name', 'filled', f->'filled', 'of', f->'of'))
       from jsonb_array_elements(l.report->'fields') f), '[]') as filled,
       coalesce(l.report->'figures', '[]') as figures
     from sieve.load l join sieve.delivery d on d.id = l.delivery
     where l.feed = $1 and l.id < $2 and l.state = 'loaded' and l.kind = 'load' and d.sender = $3
     order by l.id desc limit $4`,
    [load.feed, load.id, sender, limit],
  );
  return rows;
}

/** When a value of a code field first and last came, over the feed's loads. */
export interface CodeSeen {
  readonly field: string;
  readonly value: string;
  readonly first: Date;
  readonly last: Date;
  readonly loads: number;
}

export async function codesSeen(db: Queryable, feed: string): Promise<CodeSeen[]> {
  const { rows } = await db.query<CodeSeen>(
    `select c->>'field' as field, v.value, min(l.ended_at) as first, max(l.ended_at) as last, count(*)::int as loads
     from sieve.load l, jsonb_array_elements(l.report->'codes') c, jsonb_array_elements_text(c->'seen') v
     where l.feed = $1 and l.state = 'loaded' and l.report ? 'codes'
     group by 1, 2 order by 1, min(l.id), 2`,
    [feed],
  );
  return rows;
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
