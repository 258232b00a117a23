import { db, handle } from "@/app/server.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { lookUpOfDelivery } from "@/routes/feeds.ts";
import { deliveryOf } from "@/store/deliveries.ts";

export const POST = handle(lookUpOfDelivery, async ({ params, body: { document, lookUp }, request }) => {
  const plan = parsePlan(document);
  const delivery = await deliveryOf(db(), params.feed);
  return apart("proposal of a look-up", { delivery, plan, lookUp }, { ...lookLimits(), signal: request.signal });
});
