import { body, db, route } from "@/app/server.ts";
import { readiness } from "@/store/ready.ts";
import { askForRetention, retentionRuns, roomByFeed } from "@/store/retention.ts";

/** What takes how much room, and what was taken away by the retention. */
export const GET = route(async () => ({
  feeds: await roomByFeed(db()),
  disk: (await readiness(db())).bytes,
  runs: await retentionRuns(db()),
}));

/** Has a worker take away now what has expired, instead of at night. */
export const POST = route(async (request) => {
  await body(request);
  await askForRetention(db(), "steward");
  return Response.json({}, { status: 202 });
});
