import { db, handle } from "@/app/server.ts";
import { transitions } from "@/core/kernel/ledger.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { compareLoads } from "@/routes/loads.ts";
import { outcomesOf } from "@/store/ledger.ts";
import { getLoad, needDetail } from "@/store/loads.ts";

export const GET = handle(compareLoads, async ({ params: { id, other } }) => {
  const after = await getLoad(db(), id);
  const before = await getLoad(db(), other);
  if (after.delivery !== before.delivery) {
    throw new SieveError("not-alike", `Loads ${after.id} and ${before.id} are of different deliveries.`, {
      hint: "Only what became of the same records can be compared.",
    });
  }
  for (const load of [after, before]) needDetail(load);
  const [a, b] = await Promise.all([outcomesOf(db(), after.id), outcomesOf(db(), before.id)]);
  return { transitions: transitions(b, a), records: [b.length, a.length] as [number, number] };
});
