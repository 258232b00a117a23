import { db, handle } from "@/app/server.ts";
import { runAgain } from "@/routes/runs.ts";
import { getFeed } from "@/store/feeds.ts";
import { runDeliveries } from "@/store/runs.ts";

export const POST = handle(runAgain, async ({ params: { feed }, body: { deliveries, kind, ...run } }) => {
  await getFeed(db(), feed);
  return { loads: await runDeliveries(db(), feed, deliveries, kind, run) };
});
