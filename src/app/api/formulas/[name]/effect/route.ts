import { db, handle } from "@/app/server.ts";
import { withFormula } from "@/core/plan/edit.ts";
import { usesOfFormula } from "@/core/plan/uses.ts";
import { formulaEffect } from "@/routes/formulas.ts";
import { latestDelivery } from "@/store/deliveries.ts";
import { keepDraft, planInForce } from "@/store/feeds.ts";
import { plansUsing } from "@/store/formulas.ts";
import { askForTrial, trialOf } from "@/store/load-requests.ts";

/** Each plan that the change reaches with a trial of it on its latest delivery, and one of the version in force to hold it against. */
export const POST = handle(formulaEffect, async ({ params: { name }, body: { formula } }) => {
  const reach = [];
  for (const { feed, title, document } of await plansUsing(db(), name)) {
    const delivery = await latestDelivery(db(), feed);
    let trial: { load: number; against: number } | null = null;
    if (delivery !== null) {
      const draft = await keepDraft(db(), feed, withFormula(document, name, formula));
      const inForce = await planInForce(db(), feed);
      trial = { against: await trialOf(db(), delivery, inForce.id), load: await askForTrial(db(), delivery, draft.id) };
    }
    reach.push({ feed, title, uses: usesOfFormula(document, name), trial });
  }
  return { reach };
});
