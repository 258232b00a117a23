import { z } from "zod";
import { db, route } from "@/app/server.ts";
import { targetValues } from "@/engine/writing/target.ts";
import { planInForce } from "@/store/feeds.ts";

const query = z.object({ field: z.string().min(1).max(63) });

/** The different values of a field in the feed's target, with how many records have each. */
export const GET = route<{ feed: string }>(async (request, { feed }) => {
  const { field } = query.parse(Object.fromEntries(new URL(request.url).searchParams));
  return await targetValues(db(), (await planInForce(db(), feed)).document, field);
});
