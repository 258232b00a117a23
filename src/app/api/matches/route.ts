import { db, handle } from "@/app/server.ts";
import { listPairs } from "@/routes/matches.ts";
import { askedPairs, countPairs } from "@/store/matches.ts";

export const GET = handle(listPairs, async ({ query }) => {
  const [pairs, count] = await Promise.all([askedPairs(db(), query, query), countPairs(db(), query)]);
  return { pairs, count };
});
