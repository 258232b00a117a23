import { db, handle } from "@/app/server.ts";
import { listSources, makeSource } from "@/routes/feeds.ts";
import { getFeed } from "@/store/feeds.ts";
import * as store from "@/store/sources.ts";

export const GET = handle(listSources, async ({ params: { feed } }) => ({
  sources: await store.listSources(db(), feed),
}));

export const POST = handle(makeSource, async ({ params: { feed }, body: { kind, options, everySeconds } }) => {
  await getFeed(db(), feed);
  return { id: await store.makeSource(db(), feed, kind, options, everySeconds, "steward") };
});
