import { db, route } from "@/app/server.ts";
import { askedPairs, countPairs } from "@/store/matches.ts";
import { pairQuery } from "./query.ts";

/** Pairs to be decided, the most alike first. */
export const GET = route(async (request) => {
  const filter = pairQuery.parse(Object.fromEntries(new URL(request.url).searchParams));
  const [pairs, count] = await Promise.all([askedPairs(db(), filter), countPairs(db(), filter)]);
  return { pairs, count };
});
