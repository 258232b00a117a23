import type { Outcome } from "@/core/kernel/ledger.ts";
import { SieveError, listed } from "@/core/kernel/problem.ts";
import { transaction, type Db, type Queryable } from "./db.ts";
import { planInForce } from "./feeds.ts";
import { queueLoad, queueTrial, type RunRequest } from "./load-requests.ts";
import type { LoadState } from "./loads.ts";

/** What a run of a delivery came to. */
export interface RunOutcome {
  readonly id: number;
  readonly state: LoadState;
  /** Null before it has ended. */
  readonly read: number | null;
  /** It was given parameters, or did without something. */
  readonly told: boolean;
  readonly outcomes: Readonly<Record<Outcome, number>> | null;
}

/** A delivery that can be run again. */
export interface DeliveryRow {
  readonly id: number;
  readonly receivedAt: Date;
  readonly sender: string;
  readonly files: readonly string[];
  readonly bytes: number;
  /** Its bytes are kept still. */
  readonly kept: boolean;
  /** The last load of it; null where there was none. */
  readonly load: RunOutcome | null;
  /** The last trial of it by the plan in force. */
  readonly trial: RunOutcome | null;
}

const OUTCOME = `json_build_object('id', r.id, 'state', r.state, 'told', r.run <> '{}' or r.checks_off <> '{}', 'read', r.read, 'outcomes',
  case when r.read is not null then json_build_object('inserted', r.inserted, 'updated', r.updated, 'unchanged', r.unchanged,
    'merged', r.merged, 'held', r.held, 'waiting', r.waiting, 'left out', r.left_out) end)`;

/** The whole deliveries of a feed since a day in UTC, the oldest first; at most the `limit` newest. */
export async function deliveriesSince(
  db: Queryable,
  feed: string,
  since: string,
  limit: number,
): Promise<DeliveryRow[]> {
  const { rows } = await db.query<DeliveryRow>(
    `select d.id, d.received_at as "receivedAt", d.sender, f.files, f.bytes::float8 as bytes, f.kept, l.load, t.trial
     from sieve.delivery d
       cross join lateral (select array_agg(name order by position) as files, sum(bytes) as bytes,
         bool_and(expired_at is null) as kept, bool_and(sha256 is not null) as whole
         from sieve.delivery_file where delivery = d.id) f
       left join lateral (select ${OUTCOME} as load from sieve.load r
         where r.delivery = d.id and r.kind = 'load' order by r.id desc limit 1) l on true
       left join lateral (select ${OUTCOME} as trial from sieve.load r
         where r.delivery = d.id and r.kind = 'trial' and r.plan = (select id from sieve.plan p
           where p.feed = $1 and p.version is not null order by p.version desc limit 1) order by r.id desc limit 1) t on true
     where d.feed = $1 and d.received_at >= $2::date and f.whole
     order by d.id desc limit $3`,
    [feed, since, limit],
  );
  return rows.reverse();
}

/**
 * Runs deliveries of a feed by the plan in force, in the order in which they arrived; all are asked for, or none.
 * Throws `no-delivery` for one that is not of the feed, `bytes-expired`, and what a run can't be given.
 */
export async function runDeliveries(
  db: Db,
  feed: string,
  deliveries: readonly number[],
  kind: "trial" | "load",
  run: RunRequest = {},
  by = "steward",
): Promise<{ delivery: number; load: number }[]> {
  const inOrder = [...new Set(deliveries)].sort((a, b) => a - b);
  return await transaction(db, async (client) => {
    const { rows } = await client.query<{ id: number }>(
      "select id from sieve.delivery where feed = $1 and id = any ($2)",
      [feed, inOrder],
    );
    const known = new Set(rows.map((r) => r.id));
    const unknown = inOrder.filter((id) => !known.has(id));
    if (unknown.length > 0) {
      throw new SieveError("no-delivery", `The feed ${feed} has no delivery ${listed(unknown.map(String))}.`, {
        hint: "Name deliveries of this feed.",
      });
    }
    const plan = await planInForce(client, feed);
    const asked: { delivery: number; load: number }[] = [];
    for (const delivery of inOrder) {
      const load =
        kind === "trial"
          ? await queueTrial(client, delivery, plan.id, run)
          : await queueLoad(client, delivery, { ...run, again: true, by });
      asked.push({ delivery, load });
    }
    return asked;
  });
}
