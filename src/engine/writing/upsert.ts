import type { Balance } from "@/core/kernel/ledger.ts";
import type { Client, Db } from "@/store/db.ts";
import { assertWritten, tableOf } from "./target.ts";
import { dropKept, keepsBefore, type Writing } from "./writing.ts";
import { type Meeting, countUpsert, meet, writeMet } from "./meet.ts";

/** PostgreSQL's code of a lock that is not to be had at once. */
const LOCK_NOT_AVAILABLE = "55P03";

/**
 * Lets a connection read the target and the staged records for a transaction, and take statistics of these, unless it would
 * have to wait for that: where this transaction has taken some, it would to its end.
 */
async function beginBeside(client: Client, { plan, staging }: Meeting): Promise<boolean> {
  await client.query("begin");
  try {
    // The two connections wait for each other outside of the database, which would not see that they do.
    await client.query("set local lock_timeout = '5s'; set local jit = off");
    await client.query(`lock table ${tableOf(plan)} in access share mode nowait`);
    await client.query(`lock table ${staging} in share update exclusive mode nowait`);
    return true;
  } catch (error) {
    await client.query("rollback");
    if ((error as { code?: string }).code === LOCK_NOT_AVAILABLE) return false;
    throw error;
  }
}

/**
 * Writes staged records into the target, which must be locked against other writers, as rows are
 * found by their places, and puts what it did into the ledger and the balance; `also` is called once it is known
 * what is met. Where nothing stands in the way, rows are kept for an undo, and the ledger written, through a
 * connection of `beside` while the target is written over here. That connection does not see what this
 * transaction has done, so that is for loads whose staged records and ledger are as they were committed.
 */
export async function upsertStaged(
  writing: Writing,
  meeting: Meeting,
  {
    beside,
    balance,
    also = async () => {},
  }: { beside: Db | null; balance: Balance; also?: (client: Client) => Promise<void> },
): Promise<void> {
  const { client } = writing;
  const { plan, met } = meeting;
  const { load } = writing.about;
  const write = (): Promise<void> => writeMet(writing, meeting, { origin: true, sure: true });
  const check = (): void => {
    assertWritten(plan, "updated", writing.updated - before.updated, balance.outcomes.updated);
    assertWritten(plan, "inserted", writing.inserted - before.inserted, balance.outcomes.inserted);
  };
  const before = { updated: writing.updated, inserted: writing.inserted };
  const alone = async (): Promise<void> => {
    await also(client);
    if (keepsBefore(plan)) await writing.keepMet(met);
    await write();
    await countUpsert(meeting, client, load, balance);
  };
  if (!beside || !keepsBefore(plan)) {
    await meet(meeting, client);
    await alone();
    return check();
  }
  const other = await beside.connect();
  let broken = true;
  try {
    const apart = await beginBeside(other, meeting);
    if (apart) {
      await meet(meeting, other);
      await other.query("commit");
    } else await meet(meeting, client);
    if (apart && (await beginBeside(other, meeting))) {
      // An attempt that was killed may have kept rows too.
      await dropKept(other, writing.id);
      const kept = async (): Promise<void> => {
        await writing.keepMet(met, other);
        // Until the load ends well, what the ledger says of it counts for nothing.
        await countUpsert(meeting, other, load, balance);
        await also(other);
        await other.query("commit");
      };
      const ends = await Promise.allSettled([write(), kept()]);
      for (const end of ends) if (end.status === "rejected") throw end.reason;
    } else await alone();
    check();
    broken = false;
  } finally {
    other.release(broken);
  }
}
