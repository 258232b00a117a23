import type { Client, Db } from "./db.ts";

/**
 * Advisory locks by their first number; the second is that of what is locked, or a hash of its name.
 * They are the database's, so they go with the connection that holds them.
 */

/** Migrating the store. */
export const MIGRATION_LOCK = 7300;
/** One worker runs a load at a time. */
export const LOAD_LOCK = 7301;
/** Held by each worker process as long as it lives. */
export const WORKER_LOCK = 7302;
/** What has expired is taken away by one at a time. */
export const RETENTION_LOCK = 7303;
/** The next version of a named formula. */
export const FORMULA_LOCK = 7305;
/** The next version of a set of checks. */
export const CHECK_SET_LOCK = 7306;
/** Held by the transaction of a writing whose target has copies, as long as it is under way. */
export const COPY_LOCK = 7308;
/** What is held of a sender is sent to it by one at a time. */
export const SENDING_LOCK = 7309;
/** What is done after a load is done by one at a time. */
export const AFTER_LOCK = 7307;

/**
 * Does something unless somebody else does it already, here or in another process: then nothing is done, and null given.
 * @param lock its two numbers, or the first and a name
 * @param work gets the connection that holds the lock
 */
export async function unlessUnderWay<T>(
  db: Db,
  lock: readonly [of: number, which: number | string],
  work: (own: Client) => Promise<T>,
): Promise<T | null> {
  const own = await db.connect();
  own.on("error", () => {});
  try {
    const which = typeof lock[1] === "string" ? "hashtext($2)" : "$2";
    const { rows } = await own.query<{ got: boolean }>(`select pg_try_advisory_lock($1, ${which}) as got`, [...lock]);
    return rows[0]!.got ? await work(own) : null;
  } finally {
    // Its lock goes with it, but only once the server has noticed that.
    await own.query("select pg_advisory_unlock_all()").catch(() => {});
    own.release(true);
  }
}
