import { db, handle } from "@/app/server.ts";
import { loadDelivery } from "@/routes/deliveries.ts";
import { askForLoad } from "@/store/load-requests.ts";

export const POST = handle(loadDelivery, async ({ params, body }) => ({
  load: await askForLoad(db(), params.id, body),
}));
