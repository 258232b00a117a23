import pg from "pg";
import { SieveError } from "@/core/kernel/problem.ts";

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

/** Whether the database ended a statement before it was done, as its time was up or somebody asked for it (SQLSTATE 57014). */
export function wasEnded(error: unknown): boolean {
  return (error as { code?: unknown }).code === "57014";
}

/**
 * Whether the database could not be reached, or has ended what was asked of it as it goes down: classes 08 and 57P of
 * SQLSTATE, no more connections (53300), no such database, and what the network says.
 */
export function isStoreAway(error: unknown): boolean {
  if (error instanceof AggregateError) return error.errors.some(isStoreAway);
  if (!(error instanceof Error)) return false;
  const code = String((error as { code?: unknown }).code ?? "");
  if (/^(08...|57P..|53300|3D000|ECONN\w+|ENOTFOUND|EHOSTUNREACH|ETIMEDOUT|EPIPE)$/.test(code)) return true;
  return /^Connection terminated|^Client (has encountered a connection error|was closed)|timeout exceeded when trying to connect/.test(
    error.message,
  );
}

/**
 * What the database says that a person can do something about, in words: a right that is not there (42501), or no room
 * (53100, 53200). Any other error as it is.
 */
export function inWords(error: unknown): unknown {
  if (!(error instanceof Error) || error instanceof SieveError) return error;
  switch ((error as { code?: unknown }).code) {
    case "42501":
      return new SieveError("no-right", "The application’s role may not do this in the database.", {
        detail: `The database says: ${error.message}.`,
        hint: "Have the owner of what it speaks of grant the right; docs/operations.md says which rights are needed.",
      });
    case "53100":
      return new SieveError("no-room", "The database has no room left on its disk.", {
        detail: `The database says: ${error.message}. Nothing of what was being done has stayed.`,
        hint: "Make room there, then try again; the page Settings says what takes how much.",
      });
    case "53200":
      return new SieveError("no-room", "The database has no memory left for this.", {
        detail: `The database says: ${error.message}. Nothing of what was being done has stayed.`,
        hint: "Try again when less is going on, or give the database more memory.",
      });
    default:
      return error;
  }
}

/** A pool on the store. `patience`: milliseconds that a connection is waited for, 0 for ever. A server that loses its client notices within a second, also while it waits. */
export function openDb(url = databaseUrl(), max = 10, { patience = 0 }: { patience?: number } = {}): Db {
  const pool = new pg.Pool({
    connectionString: url,
    max,
    connectionTimeoutMillis: patience,
    options: "-c client_connection_check_interval=1000 -c timezone=UTC",
    application_name: "good sieve",
  });
  // An idle client that loses its server must not end the process; the next query reports it.
  pool.on("error", () => {});
  pool.on("connect", (client) => void client.on("error", () => {}));
  return pool;
}

/** Something elsewhere that is committed together with a client's transaction, or not at all. */
export interface Companion {
  /** Throws where it can't be committed; once it has not thrown, it can. */
  prepare(): Promise<void>;
  /** The transaction is committed: never throws, what can't be done now is done by who comes next. */
  commit(): Promise<void>;
  /** The transaction is rolled back, or the connection is broken and nobody knows; the client is in none. */
  rollback(): Promise<void>;
}

const companions = new WeakMap<object, Companion>();

/** What goes along with the transaction that a client is in; made where there is none yet. */
export function companionOf<T extends Companion>(client: object, make: () => T): T {
  const known = companions.get(client) as T | undefined;
  if (known) return known;
  const made = make();
  companions.set(client, made);
  return made;
}

/** Commits the transaction that a client is in, with what goes along. */
export async function commitAll(client: Queryable): Promise<void> {
  const along = companions.get(client);
  await along?.prepare();
  await client.query("commit");
  companions.delete(client);
  await along?.commit();
}

/** Rolls it back, with what goes along; gives the fault of a connection that is broken. */
export async function rollbackAll(client: Queryable): Promise<Error | undefined> {
  const along = companions.get(client);
  companions.delete(client);
  const fault = await client.query("rollback").then(
    () => undefined,
    (error: Error) => error,
  );
  await along?.rollback().catch(() => {});
  return fault;
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
    await commitAll(client);
    return result;
  } catch (error) {
    broken = await rollbackAll(client);
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

/** A text as SQL, where a statement can have no parameters. */
export function literal(text: string): string {
  return pg.escapeLiteral(text);
}

/** Runs some work with settings of the database changed, within a transaction; afterwards they are as they were. */
export async function withSettings<T>(
  client: Queryable,
  values: Readonly<Record<string, string>>,
  work: () => Promise<T>,
): Promise<T> {
  const names = Object.keys(values);
  const { rows } = await client.query<Record<string, string>>(
    `select ${names.map((n) => `current_setting('${n}') as ${n}`).join(", ")}`,
  );
  const set = (to: Readonly<Record<string, string>>): Promise<unknown> =>
    client.query(
      `select ${names.map((n, i) => `set_config('${n}', $${i + 1}, true)`).join(", ")}`,
      names.map((n) => to[n]),
    );
  await set(values);
  const result = await work();
  await set(rows[0]!);
  return result;
}

/** Runs a statement that finds a table's rows by their places, so that it goes to those and reads no others. */
export async function byPlace<T>(client: Queryable, work: () => Promise<T>): Promise<T> {
  // What is switched off is only made to look dear, which would have statements compiled for a third of a second.
  const settings = { enable_seqscan: "off", enable_mergejoin: "off", enable_memoize: "off", jit: "off" };
  return await withSettings(client, settings, work);
}

/** Runs a statement that joins much with much, of which nothing is known yet: without sorting it, and not row by row. */
export async function byHash<T>(client: Queryable, work: () => Promise<T>): Promise<T> {
  return await withSettings(client, { jit: "off", enable_mergejoin: "off", enable_nestloop: "off" }, work);
}

/**
 * Rows of a query as they are at one moment, page by page, read by a cursor in a transaction of its own that writes nothing.
 * `ask` gives the query, and may look at what is there first. Whoever stops early leaves nothing open.
 */
export async function* pagesOf<Row extends pg.QueryResultRow>(
  db: Db,
  size: number,
  ask: (client: Client) => Promise<{ sql: string; params?: readonly unknown[] }>,
): AsyncGenerator<Row[]> {
  const client = await db.connect();
  // As in a transaction: a connection that is lost rejects the statement that was running.
  const ignore = (): void => {};
  client.on("error", ignore);
  let ended = false;
  try {
    await client.query("begin isolation level repeatable read read only");
    const { sql, params = [] } = await ask(client);
    await client.query(`declare pages_of no scroll cursor for ${sql}`, [...params]);
    for (;;) {
      const { rows } = await client.query<Row>(`fetch ${size} from pages_of`);
      if (rows.length === 0) break;
      yield rows;
    }
    await client.query("commit");
    ended = true;
  } finally {
    client.off("error", ignore);
    client.release(!ended);
  }
}
