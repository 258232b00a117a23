import { databaseUrl, openDb } from "./db.ts";
import { migrate } from "./migrate.ts";

const app = openDb(undefined, 2);
// Who owns the store, where the application's role does not.
const owner = openDb(process.env["SIEVE_OWNER_URL"] || databaseUrl(), 2);
const ran = await migrate(owner, app);
const { rows } = await app.query<{ mighty: boolean }>(
  "select rolsuper as mighty from pg_roles where rolname = current_user",
);
await Promise.all([owner.end(), app.end()]);
process.stdout.write(ran === 0 ? "the store is up to date\n" : `ran ${ran} migration${ran === 1 ? "" : "s"}\n`);
if (rows[0]!.mighty) {
  process.stderr.write(
    "warning: the role of DATABASE_URL is a superuser, so that nothing in this server is kept from the application\n" +
      "hint: docs/operations.md says how to make roles that own only what they need\n",
  );
}
