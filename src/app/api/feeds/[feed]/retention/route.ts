import { db, handle } from "@/app/server.ts";
import { getRetention, setRetention } from "@/routes/feeds.ts";
import { getFeed } from "@/store/feeds.ts";
import * as store from "@/store/retention.ts";

export const GET = handle(getRetention, async ({ params: { feed } }) => {
  await getFeed(db(), feed);
  const keep = await store.retentionOf(db(), feed);
  return {
    keep,
    expiring: await store.expiringNow(db(), feed, keep),
    history: await store.retentionHistory(db(), feed),
  };
});

export const POST = handle(setRetention, async ({ params: { feed }, body }) => {
  await getFeed(db(), feed);
  await store.setRetention(db(), feed, body, "steward");
  return {};
});
