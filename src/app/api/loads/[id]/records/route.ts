import { db, route, wholeNumber } from "@/app/server.ts";
import { findRecords } from "@/engine/records.ts";
import { recordQuery } from "./query.ts";

export const GET = route<{ id: string }>(async (request, { id }) => {
  const { from, limit, ...filter } = recordQuery.parse(Object.fromEntries(new URL(request.url).searchParams));
  return await findRecords(db(), wholeNumber(id, "The load"), filter, from, limit);
});
