import { db, handle } from "@/app/server.ts";
import { splitDelivery } from "@/routes/deliveries.ts";
import * as store from "@/store/deliveries.ts";

export const POST = handle(splitDelivery, async ({ params, body: { feeds } }) => ({
  feeds: await store.splitDelivery(db(), params.id, feeds),
}));
