import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { latestDelivery } from "@/store/deliveries.ts";
import { keepDraft, planInForce } from "@/store/feeds.ts";
import { askForTrial, trialOf } from "@/store/loads.ts";

const input = z.object({ document: z.unknown() });

/** Tries a plan on the feed's latest delivery beside the version in force, without saving it and without writing to the target. */
export const POST = route<{ feed: string }>(async (request, { feed }) => {
  const { document } = input.parse(await body(request));
  const delivery = await latestDelivery(db(), feed);
  if (delivery === null) {
    throw new SieveError("no-delivery", "There is no delivery to try the plan on.", { hint: "Bring in a file first." });
  }
  const inForce = await planInForce(db(), feed);
  const against = await trialOf(db(), delivery, inForce.id);
  const plan = await keepDraft(db(), feed, document);
  return { load: await askForTrial(db(), delivery, plan.id), against };
});
