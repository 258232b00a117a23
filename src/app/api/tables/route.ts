import { db, handle } from "@/app/server.ts";
import { existingTables } from "@/engine/writing/existing-table.ts";
import { listTables } from "@/routes/store.ts";

export const GET = handle(listTables, async () => ({ tables: await existingTables(db()) }));
