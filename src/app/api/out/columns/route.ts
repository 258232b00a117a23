import { db, handle } from "@/app/server.ts";
import { columnsOfQuery } from "@/engine/out/query.ts";
import { queryColumns } from "@/routes/out.ts";

export const GET = handle(queryColumns, async ({ query }) => ({
  columns: (await columnsOfQuery(db(), query)).map(({ name, type }) => ({ name, type })),
}));
