import { db, handle } from "@/app/server.ts";
import { describeTable } from "@/engine/writing/existing-table.ts";
import { tableContract } from "@/routes/store.ts";

export const GET = handle(tableContract, ({ params: { schema, table } }) => describeTable(db(), schema, table));
