import { WORKER_LOCK } from "./locks.ts";
import { isStoreAway, type Db } from "./db.ts";

/** The store's last migration that this version knows: the web process has their numbers, not their text. */
export const NEWEST_MIGRATION = 35;

export interface Readiness {
  readonly ready: boolean;
  readonly store: "there" | "away";
  /** Migrations that have not run. */
  readonly pending: readonly number[];
  readonly workers: number;
  /** Jobs that nobody has taken yet. */
  readonly waiting: number;
  /** What tables and indexes take on disk: the store's own, and those of targets, staging and undo. */
  readonly bytes: { readonly store: number; readonly targets: number };
}

/** What work needs, and what of it is there. Throws nothing when the store is away, but says so. */
export async function readiness(db: Db): Promise<Readiness> {
  const nothing = { pending: [], workers: 0, waiting: 0, bytes: { store: 0, targets: 0 } };
  try {
    const { rows: ran } = await db.query<{ id: number }>("select id from sieve.migration");
    const done = new Set(ran.map((r) => r.id));
    const pending = Array.from({ length: NEWEST_MIGRATION }, (_, i) => i + 1).filter((id) => !done.has(id));
    if (pending.length > 0) return { ...nothing, ready: false, store: "there", pending };
    const { rows } = await db.query<{ workers: number; waiting: number; store: number; targets: number }>(
      `select (select count(*)::int from pg_locks where locktype = 'advisory' and classid = $1 and granted
           and database = (select oid from pg_database where datname = current_database())) as workers,
         (select count(*)::int from graphile_worker.jobs where locked_at is null and run_at <= now()) as waiting,
         sum(case when n.nspname in ('sieve', 'graphile_worker') then pg_total_relation_size(c.oid) else 0 end)::bigint as store,
         sum(case when n.nspname in ('target', 'staging', 'undo') then pg_total_relation_size(c.oid) else 0 end)::bigint as targets
       from pg_class c join pg_namespace n on n.oid = c.relnamespace
       where c.relkind in ('r', 'm') and n.nspname in ('sieve', 'graphile_worker', 'target', 'staging', 'undo')`,
      [WORKER_LOCK],
    );
    const { workers, waiting, store, targets } = rows[0]!;
    return { ready: workers > 0, store: "there", pending, workers, waiting, bytes: { store, targets } };
  } catch (error) {
    if (!isStoreAway(error)) throw error;
    return { ...nothing, ready: false, store: "away" };
  }
}
