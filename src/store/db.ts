import pg from "pg";
import { SieveError } from "@/core/problem.ts";

export type Db = pg.Pool;
export type Client = pg.PoolClient;
/** Anything that can run a statement. */
export type Queryable = Pick<pg.ClientBase, "query">;

// Counts fit a double here: bigint columns come back as numbers, dates as text.
pg.types.setTypeParser(pg.types.builtins.INT8, Number);
pg.types.setTypeParser(pg.types.builtins.DATE, (text) => text);

export function databaseUrl(): string {
  const url = process.env["DATABASE_URL"];
  if (!url) {
    throw new SieveError("no-database", "No database is set.", {
      hint: "Start with npm run demo, or set DATABASE_URL to a PostgreSQL server.",
    });
  }
  return url;
}

/** A pool on the store. A server that loses its client notices within a second, also while it waits. */
export function openDb(url = databaseUrl(), max = 10): Db {
  const pool = new pg.Pool({
    connectionString: url,
    max,
    options: "-c client_connection_check_interval=1000 -c timezone=UTC",
    application_name: "good sieve",
  });
  // An idle client that loses its server must not end the process; the next query reports it.
  pool.on("error", () => {});
  pool.on("connect", (client) => void client.on("error", () => {}));
  return pool;
}

/** Runs `work` in a transaction on a client of its own. */
export async function transaction<T>(db: Db, work: (client: Client) => Promise<T>): Promise<T> {
  const client = await db.connect();
  // A connection lost in the middle rejects the statement that was running; that is where it is handled.
  const ignore = (): void => {};
  client.on("error", ignore);
  let broken: Error | undefined;
  try {
    await client.query("begin");
    const result = await work(client);
    await client.query("commit");
    return result;
  } catch (error) {
    await client.query("rollback").catch((e: Error) => {
      broken = e;
    });
    throw error;
  } finally {
    client.off("error", ignore);
    client.release(broken);
  }
}

/** A quoted SQL identifier, whatever is in the name. */
export function ident(...path: string[]): string {
  return path.map((name) => `"${name.replaceAll('"', '""')}"`).join(".");
}
