import { body, db, route } from "@/app/server.ts";
import { getFeed } from "@/store/feeds.ts";
import { expiringNow, retentionSchema } from "@/store/retention.ts";

/** What would expire of a feed in the next run, if it were kept for so long. Nothing is changed. */
export const POST = route<{ feed: string }>(async (request, { feed }) => {
  const keep = retentionSchema.parse(await body(request));
  await getFeed(db(), feed);
  return await expiringNow(db(), feed, keep);
});
