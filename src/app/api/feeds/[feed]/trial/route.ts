import { db, handle } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { tryPlan } from "@/routes/feeds.ts";
import { latestDelivery } from "@/store/deliveries.ts";
import { keepDraft, planInForce } from "@/store/feeds.ts";
import { askForTrial, trialOf } from "@/store/load-requests.ts";

export const POST = handle(tryPlan, async ({ params: { feed }, body: { document } }) => {
  const delivery = await latestDelivery(db(), feed);
  if (delivery === null) {
    throw new SieveError("no-delivery", "There is no delivery to try the plan on.", { hint: "Bring in a file first." });
  }
  const inForce = await planInForce(db(), feed);
  const against = await trialOf(db(), delivery, inForce.id);
  const plan = await keepDraft(db(), feed, document);
  return { load: await askForTrial(db(), delivery, plan.id), against };
});
