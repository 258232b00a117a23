import { db, route, wholeNumber } from "@/app/server.ts";
import { transitions } from "@/core/kernel/ledger.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { outcomesOf } from "@/store/ledger.ts";
import { getLoad, needDetail } from "@/store/loads.ts";

/** What became of the same records in another load or trial of the same delivery. */
export const GET = route<{ id: string; other: string }>(async (_, { id, other }) => {
  const [after, before] = await Promise.all([id, other].map((n) => getLoad(db(), wholeNumber(n, "The load"))));
  if (after!.delivery !== before!.delivery) {
    throw new SieveError("not-alike", `Loads ${after!.id} and ${before!.id} are of different deliveries.`, {
      hint: "Only what became of the same records can be compared.",
    });
  }
  for (const load of [after!, before!]) needDetail(load);
  const [a, b] = await Promise.all([outcomesOf(db(), after!.id), outcomesOf(db(), before!.id)]);
  return { transitions: transitions(b, a), records: [b.length, a.length] };
});
