import { RETENTION_LOCK, unlessUnderWay } from "@/store/locks.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { transaction, type Db, type Queryable } from "@/store/db.ts";
import { planInForce } from "@/store/feeds.ts";
import { ABANDONED, EXPIRED, NOTHING_TAKEN, retentionOf, type Took } from "@/store/retention.ts";
import type { Retention } from "@/core/plan/retention.ts";
import { pruneUndo } from "../undo/kept.ts";

/** Records whose content goes in one transaction. */
const AT_ONCE = 5000;

/**
 * Takes away what has expired by the settings of each feed: bytes of deliveries, detail of loads, content of settled
 * records, rows for undos, and uploads that nobody goes on with. Each delivery, each load and some thousand records
 * go in transactions of their own, so that nobody waits for it and what is done stays done. A run that finds another
 * under way does nothing and gives null.
 */
export async function runRetention(db: Db, by: string, signal?: AbortSignal): Promise<Took | null> {
  return await unlessUnderWay(db, [RETENTION_LOCK, 0], async (own) => {
    // One that was broken off says so for ever: nobody else is under way now.
    await own.query(
      `update sieve.retention_run set ended_at = clock_timestamp(), error = '{"message": "It was broken off."}' where ended_at is null`,
    );
    const { rows: made } = await own.query<{ id: number }>(
      "insert into sieve.retention_run (asked_by) values ($1) returning id",
      [by],
    );
    const { id } = made[0]!;
    const took: Took = { ...NOTHING_TAKEN };
    let error: { message: string } | null = null;
    try {
      await takeAway(db, took, signal);
    } catch (e) {
      error = { message: (e as Error).message };
      throw e;
    } finally {
      await own.query(
        "update sieve.retention_run set ended_at = clock_timestamp(), took = $2, error = $3 where id = $1",
        [id, took, error],
      );
    }
    return took;
  });
}

async function takeAway(db: Db, took: Took, signal: AbortSignal | undefined): Promise<void> {
  const going = (): void => {
    if (signal?.aborted) throw new SieveError("given-up", "The worker was ended.");
  };
  const { rowCount } = await db.query(`delete from sieve.delivery_file where id in (select f.id ${ABANDONED})`);
  took.uploads += rowCount ?? 0;
  const { rows: feeds } = await db.query<{ feed: string }>("select name as feed from sieve.feed order by name");
  for (const { feed } of feeds) {
    const keep = await retentionOf(db, feed);
    await takeBytes(db, feed, keep, { took, going });
    await takeLedgers(db, feed, keep, { took, going });
    await takeSettled(db, feed, keep, { took, going });
    await takeUndoRows(db, feed, took);
  }
}

interface Taking {
  readonly took: Took;
  readonly going: () => void;
}

async function takeBytes(db: Db, feed: string, { bytesDays }: Retention, { took, going }: Taking): Promise<void> {
  if (bytesDays === null) return;
  const { rows: deliveries } = await db.query<{ id: number }>(`select distinct d.id ${EXPIRED.bytes} order by 1`, [
    feed,
    bytesDays,
  ]);
  for (const { id } of deliveries) {
    going();
    await transaction(db, async (client) => {
      // Who asks for a load meanwhile waits for this, and is told; who was earlier is found below.
      await client.query("select from sieve.delivery where id = $1 for update", [id]);
      const { rows: files } = await client.query<{ id: number; bytes: number }>(
        `update sieve.delivery_file u set expired_at = clock_timestamp()
         where u.id in (select f.id ${EXPIRED.bytes} and d.id = $3) returning u.id, u.bytes`,
        [feed, bytesDays, id],
      );
      await client.query("delete from sieve.chunk where file = any($1)", [files.map((f) => f.id)]);
      took.files += files.length;
      took.bytes += files.reduce((n, f) => n + f.bytes, 0);
    });
  }
}

async function takeLedgers(db: Db, feed: string, { ledgerDays }: Retention, { took, going }: Taking): Promise<void> {
  if (ledgerDays === null) return;
  const { rows: loads } = await db.query<{ id: number }>(`select l.id ${EXPIRED.ledger} order by 1`, [
    feed,
    ledgerDays,
  ]);
  for (const { id } of loads) {
    going();
    await transaction(db, async (client) => {
      const { rows } = await client.query<{ read: number | null }>(
        `update sieve.load u set expired_at = clock_timestamp()
         where u.id in (select l.id ${EXPIRED.ledger} and l.id = $3) returning u.read`,
        [feed, ledgerDays, id],
      );
      if (!rows[0]) return;
      for (const table of ["ledger_block", "late_problem", "kept_cell"])
        await client.query(`delete from sieve.${table} where load = $1`, [id]);
      took.loads++;
      took.records += rows[0].read ?? 0;
    });
  }
}

async function takeSettled(db: Db, feed: string, { settledDays }: Retention, { took, going }: Taking): Promise<void> {
  if (settledDays === null) return;
  for (let count = AT_ONCE; count === AT_ONCE;) {
    going();
    count = await transaction(db, async (client) => await takeSome(client, feed, settledDays));
    took.held += count;
  }
}

/** Takes what was in some settled records, and what an undo noted of it. */
async function takeSome(client: Queryable, feed: string, days: number): Promise<number> {
  const { rows } = await client.query<{ load: number; record: number }>(
    `update sieve.held u set raw = '', cells = null, field_values = '[]', problems = '[]', mended = null,
       expired_at = clock_timestamp()
     where (u.load, u.record) in (select h.load, h.record ${EXPIRED.settled} limit ${AT_ONCE}) returning u.load, u.record`,
    [feed, days],
  );
  await client.query(
    `update sieve.store_before b set was = b.was - 'mended'
     where b.relation = 'held' and b.was ? 'mended' and ((b.key->>'load')::int, (b.key->>'record')::int) in
       (select * from unnest($1::int[], $2::int[]))`,
    [rows.map((r) => r.load), rows.map((r) => r.record)],
  );
  return rows.length;
}

/** Rows of the target as they were, of writings from before the loads that can still be undone. */
async function takeUndoRows(db: Db, feed: string, took: Took): Promise<void> {
  const plan = await planInForce(db, feed).catch(() => null);
  if (plan) took.writings += await transaction(db, async (client) => await pruneUndo(client, plan.document));
}
