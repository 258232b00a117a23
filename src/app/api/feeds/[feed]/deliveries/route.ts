import { db, handle } from "@/app/server.ts";
import { makeDelivery } from "@/routes/deliveries.ts";
import * as store from "@/store/deliveries.ts";
import { getFeed } from "@/store/feeds.ts";

export const POST = handle(makeDelivery, async ({ params: { feed }, body }) => {
  await getFeed(db(), feed);
  return { id: await store.makeDelivery(db(), feed, "browser", body.sender) };
});
