import { transaction, type Db, type Queryable } from "@/store/db.ts";
import { COPY_LOCK } from "@/store/locks.ts";
import { copyConnections, settleCopied, storeMark } from "@/store/target-copies.ts";
import { dropBrought, leftBrought, takeBack } from "./apply.ts";
import { connectFar, endFar, type Far } from "./far.ts";

/** By what a transaction of a writing is known that another database has prepared. */
export const preparedName = (mark: string, writing: number): string => `good sieve ${mark} ${writing}`;

/**
 * What has become of a writing: committed, not committed, or still under way. Its transaction holds a lock by its number
 * from before anything is brought elsewhere.
 */
async function fateOf(store: Queryable, writing: number): Promise<"committed" | "not" | "under way"> {
  // Asked in this order: a transaction that ends in between has let its lock go, and is seen.
  const { rows } = await store.query<{ got: boolean }>("select pg_try_advisory_xact_lock($1, $2) as got", [
    COPY_LOCK,
    writing,
  ]);
  if (!rows[0]!.got) return "under way";
  // The asking transaction's own is not committed: what stands elsewhere by its number is of an attempt before it.
  const { rows: found } = await store.query(
    "select from sieve.writing where id = $1 and xmin is distinct from pg_current_xact_id_if_assigned()::xid",
    [writing],
  );
  return found.length > 0 ? "committed" : "not";
}

/**
 * Ends what another database has of writings whose process did not live to do it: as the store has it. To be called within
 * a transaction of the store, by whose locks no new attempt at such a writing begins before this is done.
 */
export async function recover(store: Queryable, far: Far, connection: string): Promise<void> {
  const mark = await storeMark(store);
  const prefix = preparedName(mark, 0).slice(0, -1);
  const fates = new Map<number, Awaited<ReturnType<typeof fateOf>>>();
  const fate = async (writing: number): Promise<string> => {
    if (!fates.has(writing)) fates.set(writing, await fateOf(store, writing));
    return fates.get(writing)!;
  };
  const { rows } = await far.query<{ gid: string }>(
    "select gid from pg_prepared_xacts where database = current_database() and owner = current_user and starts_with(gid, $1)",
    [prefix],
  );
  for (const { gid } of rows) {
    const is = await fate(Number(gid.slice(prefix.length)));
    if (is === "under way") continue;
    await far
      .query(`${is === "committed" ? "commit" : "rollback"} prepared '${gid}'`)
      .catch((error: { code?: string }) => {
        // Another has just done it.
        if (error.code !== "42704") throw error;
      });
  }
  for (const left of await leftBrought(far, mark)) {
    const is = await fate(left.writing);
    if (is === "under way") continue;
    if (is === "not" && left.applied) await takeBack(far, left, connection);
    else await dropBrought(far, left);
  }
  await settleCopied(store, connection, { but: [...fates].flatMap(([w, is]) => (is === "under way" ? [w] : [])) });
}

/** The same for all connections by which copies are kept; those that can't be reached are left for the next time. */
export async function recoverAll(db: Db): Promise<void> {
  for (const connection of await copyConnections(db)) {
    const far = await connectFar(db, connection).catch(() => null);
    if (!far) continue;
    await transaction(db, (client) => recover(client, far, connection)).catch(() => {});
    await endFar(far);
  }
}
