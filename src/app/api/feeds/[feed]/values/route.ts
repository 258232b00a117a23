import { db, handle } from "@/app/server.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { deliveryOf } from "@/store/deliveries.ts";
import { targetValues } from "@/engine/writing/target.ts";
import { valuesOfDelivery, valuesOfField } from "@/routes/feeds.ts";
import { planInForce } from "@/store/feeds.ts";

export const GET = handle(valuesOfField, async ({ params, query }) =>
  targetValues(db(), (await planInForce(db(), params.feed)).document, query.field),
);

export const POST = handle(valuesOfDelivery, async ({ params, body: { document, field, steps }, request }) => {
  const plan = parsePlan(document);
  const delivery = await deliveryOf(db(), params.feed);
  return apart("values of a delivery", { delivery, plan, field, steps }, { ...lookLimits(), signal: request.signal });
});
