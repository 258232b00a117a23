import { migrate } from "@/store/migrate.ts";
import { openDb } from "@/store/db.ts";
import { makeDatabase, type Addresses } from "../../scripts/lib/cluster.mjs";

/** A database with the store in it, by the roles that the start command makes; made or brought up to date. */
export async function storeIn(cluster: { base: string; folder: string }, name: string): Promise<Addresses> {
  const made = makeDatabase(cluster, name);
  const [owner, app] = [openDb(made.owner, 1), openDb(made.url, 1)];
  await migrate(owner, app);
  await Promise.all([owner.end(), app.end()]);
  return made;
}
