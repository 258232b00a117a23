import { MIGRATION_LOCK } from "./locks.ts";
import first from "./migrations/001-first.sql";
import packed from "./migrations/002-packed.sql";
import profile from "./migrations/003-profile.sql";
import source from "./migrations/004-source.sql";
import held from "./migrations/005-held.sql";
import match from "./migrations/006-match.sql";
import reference from "./migrations/007-reference.sql";
import formula from "./migrations/008-formula.sql";
import between from "./migrations/009-between.sql";
import checksOff from "./migrations/010-checks-off.sql";
import carry from "./migrations/011-carry.sql";
import undo from "./migrations/012-undo.sql";
import checkSet from "./migrations/013-check-set.sql";
import proposal from "./migrations/014-proposal.sql";
import matchEntry from "./migrations/015-match-entry.sql";
import writing from "./migrations/016-writing.sql";
import connection from "./migrations/017-connection.sql";
import retention from "./migrations/018-retention.sql";
import matchModel from "./migrations/019-match-model.sql";
import afterLoad from "./migrations/020-after-load.sql";
import heldValues from "./migrations/021-held-values.sql";
import orderOfNotes from "./migrations/022-order-of-notes.sql";
import run from "./migrations/023-run.sql";
import sendersOfRecords from "./migrations/028-senders-of-records.sql";
import senderKeys from "./migrations/031-sender-keys.sql";
import sendings from "./migrations/033-sendings.sql";
import notices from "./migrations/034-notices.sql";
import afterCounts from "./migrations/035-after-counts.sql";
import leftValues from "./migrations/032-left-values.sql";
import listsAsked from "./migrations/030-lists-asked.sql";
import targetCopies from "./migrations/029-target-copies.sql";
import sender from "./migrations/024-sender.sql";
import causes from "./migrations/025-causes.sql";
import heldCauses from "./migrations/026-held.sql";
import cameAs from "./migrations/027-came-as.sql";
import { runMigrations } from "graphile-worker";
import { ident, transaction, type Client, type Db } from "./db.ts";

/** Migrations in their order. One that has run anywhere is never changed. The last is `NEWEST_MIGRATION`. */
export const MIGRATIONS: readonly { readonly id: number; readonly sql: string }[] = [
  { id: 1, sql: first },
  { id: 2, sql: packed },
  { id: 3, sql: profile },
  { id: 4, sql: source },
  { id: 5, sql: held },
  { id: 6, sql: match },
  { id: 7, sql: reference },
  { id: 8, sql: formula },
  { id: 9, sql: between },
  { id: 10, sql: checksOff },
  { id: 11, sql: carry },
  { id: 12, sql: undo },
  { id: 13, sql: checkSet },
  { id: 14, sql: proposal },
  { id: 15, sql: matchEntry },
  { id: 16, sql: writing },
  { id: 17, sql: connection },
  { id: 18, sql: retention },
  { id: 19, sql: matchModel },
  { id: 20, sql: afterLoad },
  { id: 21, sql: heldValues },
  { id: 22, sql: orderOfNotes },
  { id: 23, sql: run },
  { id: 24, sql: sender },
  { id: 25, sql: causes },
  { id: 26, sql: heldCauses },
  { id: 27, sql: cameAs },
  { id: 28, sql: sendersOfRecords },
  { id: 29, sql: targetCopies },
  { id: 30, sql: listsAsked },
  { id: 31, sql: senderKeys },
  { id: 32, sql: leftValues },
  { id: 33, sql: sendings },
  { id: 34, sql: notices },
  { id: 35, sql: afterCounts },
];

/**
 * Brings the store up to date by the role that owns it, and gives the application's role, where that is another, what
 * it needs and no more; safe when several processes start at once. Returns how many migrations ran.
 */
export async function migrate(owner: Db, app: Db = owner): Promise<number> {
  const names = [await roleOf(owner), await roleOf(app)] as const;
  await transaction(owner, async (client) => {
    await client.query("select pg_advisory_xact_lock($1, 0)", [MIGRATION_LOCK]);
    await makeQueueSchema(client, names[1]);
  });
  // The queue's tables show their rows to nobody but their owner.
  await runMigrations({ pgPool: app });
  return await transaction(owner, async (client) => {
    await client.query("select pg_advisory_xact_lock($1, 0)", [MIGRATION_LOCK]);
    if (!(await schemaIsThere(client, "sieve"))) await client.query("create schema sieve");
    await client.query(
      "create table if not exists sieve.migration (id integer primary key, ran_at timestamptz not null default now())",
    );
    const { rows } = await client.query<{ id: number }>("select id from sieve.migration");
    const done = new Set(rows.map((r) => r.id));
    let ran = 0;
    for (const { id, sql } of MIGRATIONS) {
      if (done.has(id)) continue;
      await client.query(sql);
      await client.query("insert into sieve.migration (id) values ($1)", [id]);
      ran++;
    }
    if (names[0] !== names[1]) await grantTo(client, names[1]);
    return ran;
  });
}

async function roleOf(db: Db): Promise<string> {
  return (await db.query<{ role: string }>("select current_user as role")).rows[0]!.role;
}

async function schemaIsThere(client: Client, name: string): Promise<boolean> {
  return (await client.query("select from pg_namespace where nspname = $1", [name])).rows.length > 0;
}

/** The queue would make its schema by itself, for which its role would need the right to make any. */
async function makeQueueSchema(client: Client, app: string): Promise<void> {
  if (await schemaIsThere(client, "graphile_worker")) return;
  await client.query(`create schema graphile_worker authorization ${ident(app)}`);
  await client.query(`set local role ${ident(app)}`);
  await client.query(
    "create table graphile_worker.migrations (id int primary key, ts timestamptz default now() not null, breaking boolean not null default false)",
  );
  await client.query("reset role");
}

/** The application's role changes rows of the store, not its tables, and makes tables in the other schemas. */
async function grantTo(client: Client, app: string): Promise<void> {
  const role = ident(app);
  await client.query(`grant usage on schema sieve to ${role};
    grant select, insert, update, delete on all tables in schema sieve to ${role};
    revoke insert, update, delete on sieve.migration from ${role};
    grant usage on all sequences in schema sieve to ${role};
    grant usage, create on schema target, staging, undo to ${role}`);
}
