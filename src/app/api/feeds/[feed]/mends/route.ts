import { db, handle } from "@/app/server.ts";
import { mendsOfFeed } from "@/routes/feeds.ts";
import { getFeed } from "@/store/feeds.ts";
import { mendsMade } from "@/store/mends.ts";

export const GET = handle(mendsOfFeed, async ({ params }) => {
  const { name } = await getFeed(db(), params.feed);
  return { mends: await mendsMade(db(), name) };
});
