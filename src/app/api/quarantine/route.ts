import { db, route } from "@/app/server.ts";
import { heldQuery } from "./query.ts";
import { listHeld } from "@/store/held.ts";

export const GET = route(async (request) => {
  const { after, limit, ...filter } = heldQuery.parse(Object.fromEntries(new URL(request.url).searchParams));
  return { records: await listHeld(db(), filter, after, limit) };
});
