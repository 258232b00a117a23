import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { namedFormulaSchema } from "@/core/formula/named.ts";
import { usesOfFormula, withFormula } from "@/core/plan/edit.ts";
import { latestDelivery } from "@/store/deliveries.ts";
import { keepDraft, planInForce } from "@/store/feeds.ts";
import { plansUsing } from "@/store/formulas.ts";
import { askForTrial, trialOf } from "@/store/loads.ts";

const input = z.object({ formula: namedFormulaSchema });

/**
 * Which plans a change of a formula reaches, and where in them; for each a trial of the plan with the
 * change on its latest delivery, and one of the version in force to hold it against.
 */
export const POST = route<{ name: string }>(async (request, { name }) => {
  const { formula } = input.parse(await body(request));
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
