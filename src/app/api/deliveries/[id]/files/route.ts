import { db, handle } from "@/app/server.ts";
import { putFile } from "@/routes/deliveries.ts";
import { getDelivery } from "@/store/deliveries.ts";
import { receiveBody } from "../../../receive-body.ts";

export const maxDuration = 86_400;

export const PUT = handle(putFile, async ({ params, query: { name }, request }) => {
  const delivery = await getDelivery(db(), params.id);
  return await receiveBody(request, delivery.id, name);
});
