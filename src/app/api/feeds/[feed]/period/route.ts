import { db, handle } from "@/app/server.ts";
import { periodOfFeed } from "@/routes/feeds.ts";
import { getFeed } from "@/store/feeds.ts";
import { dayOf } from "@/store/loads.ts";
import { periodOf } from "@/store/period.ts";
import { daysAsked } from "@/ui/feeds/period.ts";

export const GET = handle(periodOfFeed, async ({ params, query }) => {
  const { name } = await getFeed(db(), params.feed);
  return { period: await periodOf(db(), name, daysAsked(query.from, query.until, dayOf(new Date()))) };
});
