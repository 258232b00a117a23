import { db, route } from "@/app/server.ts";
import { describeTable } from "@/engine/writing/existing-table.ts";

/** The contract that a table of the database amounts to. */
export const GET = route<{ schema: string; table: string }>((_, { schema, table }) =>
  describeTable(db(), schema, table),
);
