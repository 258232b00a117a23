import pg from "pg";
import { SieveError } from "@/core/kernel/problem.ts";
import { addressOf } from "@/store/connections.ts";
import type { Db, Queryable } from "@/store/db.ts";

/** Milliseconds that another database may take until it answers. */
const PATIENCE_MS = 15_000;

/**
 * Connects to the database of a connection. `called`: what it is told that asks. Throws what looking the connection up
 * does, `role-too-mighty`, and errors of the database as they are.
 */
export async function connectOther(
  store: Queryable,
  connection: string,
  { called, settings = "" }: { readonly called: string; readonly settings?: string },
): Promise<pg.Client> {
  const client = new pg.Client({
    connectionString: await addressOf(store, connection, "database"),
    application_name: `good sieve ${called}`,
    connectionTimeoutMillis: PATIENCE_MS,
    options: settings,
  });
  // A connection that is lost rejects what was asked last.
  client.on("error", () => {});
  try {
    await client.connect();
    await refuseMighty(client, connection);
    return client;
  } catch (error) {
    await client.end().catch(() => {});
    throw error;
  }
}

/** A client in a transaction that can't write, and what ends both. */
export interface Reader {
  readonly client: pg.ClientBase;
  end(): Promise<void>;
}

/**
 * Begins to read a database by what a user asks: of a connection, by its role, or this one where there is none. All is
 * seen as it is at one moment; times are in UTC, dates as ISO 8601 has them, and no statement takes longer than `seconds`.
 * `told`: settings of the transaction that a query may ask for, by name.
 * Throws what `connectOther` does.
 */
export async function openReader(
  db: Db,
  connection: string | null,
  {
    called,
    seconds,
    told = {},
  }: {
    readonly called: string;
    readonly seconds: number;
    readonly told?: Readonly<Record<string, string>> | undefined;
  },
): Promise<Reader> {
  const own = connection === null ? await db.connect() : null;
  // A connection that is lost rejects what was asked last.
  const ignore = (): void => {};
  own?.on("error", ignore);
  const client = own ?? (await connectOther(db, connection!, { called }));
  const end = async (): Promise<void> => {
    if (!own) return await (client as pg.Client).end().catch(() => {});
    const gone = await own.query("rollback").then(
      () => false,
      () => true,
    );
    own.off("error", ignore);
    own.release(gone);
  };
  try {
    await client.query("begin transaction isolation level repeatable read read only");
    await client.query(
      `set local statement_timeout = '${seconds}s'; set local timezone = 'UTC'; set local datestyle = 'ISO'; set local extra_float_digits = 1`,
    );
    await tell(client, told);
    return { client, end };
  } catch (error) {
    await end();
    throw error;
  }
}

/** Sets what a transaction's statements may ask for. */
export async function tell(client: pg.ClientBase, told: Readonly<Record<string, string>>): Promise<void> {
  for (const [name, value] of Object.entries(told)) {
    await client.query("select set_config($1, $2, true)", [name, value]);
  }
}

/** A statement of a user's goes alone, by the extended protocol, which takes one and no more. */
export const alone = (text: string, values: unknown[] = []): pg.QueryConfig =>
  ({ text, values, queryMode: "extended" }) as never;

/** A user's query without what ends it. */
export const bare = (sql: string): string => sql.trim().replace(/;\s*$/, "");

/** That a bare query is one whole query by itself, so that it can't end the brackets that it is put into. Throws what the database does. */
export async function needWhole(client: pg.ClientBase, query: string): Promise<void> {
  await client.query(alone(`prepare sieve_whole as ${query}`));
  await client.query("deallocate sieve_whole");
}

/** Roles that may do more than see to tables. */
const MIGHTY = ["pg_read_server_files", "pg_write_server_files", "pg_execute_server_program"];

/** Throws `role-too-mighty` where the role of a connection that users write statements for may do more than see to tables. */
async function refuseMighty(client: pg.Client, connection: string): Promise<void> {
  const { rows } = await client.query<{ role: string; mighty: boolean }>(
    `select current_user as role, (select rolsuper from pg_roles where rolname = current_user)
       or exists (select from unnest($1::text[]) r where pg_has_role(current_user, r, 'member')) as mighty`,
    [MIGHTY],
  );
  if (!rows[0]!.mighty) return;
  throw new SieveError(
    "role-too-mighty",
    `The connection ${connection} is by a role that may do more than see to tables.`,
    {
      detail: `${rows[0]!.role} is a superuser, or may read and write files of the server or run programs there.`,
      hint: "Make a role that may do with these tables what is needed, and nothing else; docs/operations.md has the statements.",
    },
  );
}
