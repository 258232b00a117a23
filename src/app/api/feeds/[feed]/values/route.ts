import { db, handle } from "@/app/server.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { latestDelivery } from "@/store/deliveries.ts";
import { targetValues } from "@/engine/writing/target.ts";
import { valuesOfDelivery, valuesOfField } from "@/routes/feeds.ts";
import { planInForce } from "@/store/feeds.ts";

export const GET = handle(valuesOfField, async ({ params, query }) =>
  targetValues(db(), (await planInForce(db(), params.feed)).document, query.field),
);

export const POST = handle(valuesOfDelivery, async ({ params, body: { document, field, steps }, request }) => {
  const plan = parsePlan(document);
  const delivery = await latestDelivery(db(), params.feed);
  if (delivery === null) {
    throw new SieveError("no-delivery", `The feed “${params.feed}” has no delivery yet.`, {
      hint: "Bring one in first.",
    });
  }
  return apart("values of a delivery", { delivery, plan, field, steps }, { ...lookLimits(), signal: request.signal });
});
