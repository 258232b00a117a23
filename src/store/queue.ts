import type { Queryable } from "./db.ts";
import { requestNow } from "./log.ts";

/** The request that asks, for the log of who does it. */
const asking = (): string | null => requestNow.getStore() ?? null;

/**
 * Puts a load into the queue. Loads of one feed run one after another, so that each sees the target
 * as the one before left it; trials of a feed wait in the same line, for the same reason.
 */
export async function enqueueLoad(db: Queryable, load: number, feed: string): Promise<void> {
  await db.query(
    `select graphile_worker.add_job('load', json_strip_nulls(json_build_object('load', $1::int, 'feed', $4::text, 'request', $5::text)), queue_name => $2,
       max_attempts => 8, job_key => $3)`,
    [load, `feed ${feed}`.slice(0, 120), `load ${load}`, feed, asking()],
  );
}

/** Puts a profile into the queue; profiles wait for nothing. */
export async function enqueueProfile(db: Queryable, profile: number): Promise<void> {
  await db.query(
    `select graphile_worker.add_job('profile', json_strip_nulls(json_build_object('profile', $1::int, 'request', $3::text)), max_attempts => 5, job_key => $2)`,
    [profile, `profile ${profile}`, asking()],
  );
}

/** Takes a load out of the queue, whoever has its job. */
export async function dropQueued(db: Queryable, load: number): Promise<void> {
  await db.query("select graphile_worker.remove_job($1)", [`load ${load}`]);
}
