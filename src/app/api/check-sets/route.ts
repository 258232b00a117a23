import { db, route } from "@/app/server.ts";
import { listCheckSets } from "@/store/check-sets.ts";

/** Every set of checks at its newest version, with the feeds that use it. */
export const GET = route(async () => ({ sets: await listCheckSets(db()) }));
