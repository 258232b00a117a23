import { db, route } from "@/app/server.ts";
import { existingTables } from "@/engine/writing/existing-table.ts";

/** Tables of the database that could be taken as a target. */
export const GET = route(async () => ({ tables: await existingTables(db()) }));
