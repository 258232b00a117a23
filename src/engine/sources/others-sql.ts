import pg from "pg";
import { SieveError } from "@/core/kernel/problem.ts";
import { addressOf } from "@/store/connections.ts";
import type { Queryable } from "@/store/db.ts";

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

/** A statement of a user's goes alone, by the extended protocol, which takes one and no more. */
export const alone = (text: string, values: unknown[] = []): pg.QueryConfig =>
  ({ text, values, queryMode: "extended" }) as never;

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
