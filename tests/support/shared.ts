import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { ident, transaction, type Db } from "@/store/db.ts";
import { newSystem, type System } from "./system.ts";
import { startServer, webOf, type Server, type Web } from "./web.ts";

/** The start of the system that browser tests share: a store, a worker and a server, there until the process ends. */
interface Started {
  readonly system: System;
  readonly server: Server;
  /** What is there when nothing has happened yet: schemas, and tables with rows in them. */
  readonly schemas: readonly string[];
  readonly filled: readonly string[];
}
let started: Promise<Started> | undefined;

/** Where the server of all browser tests writes files. */
export const OUT = mkdtempSync(join(tmpdir(), "sieve-out-"));

/** What workers can do, by numbers that they remember: without it they would pass over all that is asked of them. */
const TASKS = "graphile_worker._private_tasks";

async function start(): Promise<Started> {
  const system = await newSystem();
  const worker = await system.startWorker();
  const schemas = await schemasOf(system.admin);
  // The worker has put itself down; what it can do it may write down a moment after it is ready.
  const filled = [...new Set([...(await filledTables(system.admin)), TASKS])];
  const server = await startServer(system.url, {
    SIEVE_OUT: OUT,
    SIEVE_CONNECTION_READER: system.url,
    // Tests ask more at once than anybody does.
    SIEVE_COSTLY_AT_ONCE: "100000",
  });
  // Both end with this process, which does not wait for them.
  for (const child of [worker, server.process]) {
    child.unref();
    child.channel?.unref();
  }
  process.once("exit", () => rmSync(OUT, { recursive: true, force: true }));
  return { system, server, schemas, filled };
}

const schemasOf = async (admin: Db): Promise<string[]> =>
  (
    await admin.query<{ name: string }>(
      "select nspname as name from pg_namespace where nspname !~ '^pg_' and nspname <> 'information_schema'",
    )
  ).rows.map((r) => r.name);

/** Tables of the store, by their quoted names. */
const tablesOf = async (admin: Db): Promise<string[]> =>
  (
    await admin.query<{ name: string }>(
      "select format('%I.%I', schemaname, tablename) as name from pg_tables where schemaname in ('sieve', 'graphile_worker')",
    )
  ).rows.map((r) => r.name);

async function filledTables(admin: Db): Promise<string[]> {
  const found: string[] = [];
  for (const table of await tablesOf(admin)) {
    if ((await admin.query(`select from ${table} limit 1`)).rowCount) found.push(table);
  }
  return found;
}

/** Makes the store what it is when nothing has happened yet. */
async function empty({ system, schemas, filled }: Started): Promise<void> {
  const { admin } = system;
  const { rows: others } = await admin.query<{ drop: string }>(
    `select format('drop %s if exists %I.%I cascade', case relkind when 'v' then 'view' when 'm' then 'materialized view'
         when 'S' then 'sequence' when 'f' then 'foreign table' else 'table' end, nspname, relname) as drop
     from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where relkind in ('r', 'p', 'v', 'm', 'S', 'f') and nspname in ('target', 'staging', 'undo', 'public')`,
  );
  const added = (await schemasOf(admin)).filter((name) => !schemas.includes(name));
  const emptied = (await tablesOf(admin)).filter((table) => !filled.includes(table));
  await transaction(admin, async (client) => {
    await client.query("set local session_replication_role = replica");
    for (const { drop } of others) await client.query(drop);
    for (const name of added) await client.query(`drop schema ${ident(name)} cascade`);
    await client.query(`truncate ${emptied.join(", ")} restart identity cascade`);
  });
}

/**
 * The system that browser tests share, as it is when nothing has happened yet, with a browser that has nothing of others.
 * Errors in pages are collected in `errors`.
 */
export async function shareSystem(errors: string[]): Promise<{ system: System; web: Web }> {
  // What a file sets goes when it ends; secrets are kept with one key.
  process.env["SIEVE_KEY"] = Buffer.alloc(32, 3).toString("base64");
  const first = started === undefined;
  const own = await (started ??= start());
  if (!first) await empty(own);
  return { system: own.system, web: webOf(own.server, errors) };
}
