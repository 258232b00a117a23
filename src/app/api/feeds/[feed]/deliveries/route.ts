import { db, handle } from "@/app/server.ts";
import { makeDelivery } from "@/routes/deliveries.ts";
import { listDeliveries } from "@/routes/runs.ts";
import * as store from "@/store/deliveries.ts";
import { getFeed } from "@/store/feeds.ts";
import { deliveriesSince } from "@/store/runs.ts";

export const GET = handle(listDeliveries, async ({ params: { feed }, query: { since, limit } }) => {
  await getFeed(db(), feed);
  return { deliveries: await deliveriesSince(db(), feed, since, limit) };
});

export const POST = handle(makeDelivery, async ({ params: { feed }, body }) => {
  await getFeed(db(), feed);
  return { id: await store.makeDelivery(db(), feed, "browser", body.sender) };
});
