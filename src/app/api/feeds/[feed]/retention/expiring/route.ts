import { db, handle } from "@/app/server.ts";
import { expiringBy } from "@/routes/feeds.ts";
import { getFeed } from "@/store/feeds.ts";
import { expiringNow } from "@/store/retention.ts";

export const POST = handle(expiringBy, async ({ params: { feed }, body }) => {
  await getFeed(db(), feed);
  return await expiringNow(db(), feed, body);
});
