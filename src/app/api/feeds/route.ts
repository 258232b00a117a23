import { db, handle } from "@/app/server.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { listFeeds, makeFeed } from "@/routes/feeds.ts";
import * as store from "@/store/feeds.ts";

export const GET = handle(listFeeds, async () => ({ feeds: await store.listFeeds(db()) }));

export const POST = handle(makeFeed, async ({ body: feed }) => {
  if ((await store.listFeeds(db())).some((f) => f.name === feed.name)) {
    throw new SieveError("feed-exists", `There is a feed “${feed.name}” already.`, {
      hint: "Give the new one another name, or bring the files into that feed.",
    });
  }
  await store.makeFeed(db(), feed);
  return { name: feed.name };
});
