import { body, db, route } from "@/app/server.ts";
import { getFeed } from "@/store/feeds.ts";
import { expiringNow, retentionHistory, retentionOf, retentionSchema, setRetention } from "@/store/retention.ts";

/** How long what is kept of a feed, what expires of it by that in the next run, and how it was set before. */
export const GET = route<{ feed: string }>(async (_, { feed }) => {
  await getFeed(db(), feed);
  const keep = await retentionOf(db(), feed);
  return { keep, expiring: await expiringNow(db(), feed, keep), history: await retentionHistory(db(), feed) };
});

/** Sets how long, from the next run on. */
export const POST = route<{ feed: string }>(async (request, { feed }) => {
  const keep = retentionSchema.parse(await body(request));
  await getFeed(db(), feed);
  await setRetention(db(), feed, keep, "steward");
  return {};
});
