import { db, handle } from "@/app/server.ts";
import { getRoom, takeAwayNow } from "@/routes/store.ts";
import { readiness } from "@/store/ready.ts";
import { askForRetention, retentionRuns, roomByFeed } from "@/store/retention.ts";

export const GET = handle(getRoom, async () => ({
  feeds: await roomByFeed(db()),
  disk: (await readiness(db())).bytes,
  runs: await retentionRuns(db()),
}));

export const POST = handle(takeAwayNow, async () => {
  await askForRetention(db(), "steward");
  return Response.json({}, { status: 202 });
});
