import { db, handle } from "@/app/server.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { needTargets } from "@/engine/writing/alterations.ts";
import { listPlans, savePlan } from "@/routes/feeds.ts";
import * as store from "@/store/feeds.ts";

export const GET = handle(listPlans, async ({ params }) => ({ plans: await store.listPlans(db(), params.feed) }));

export const POST = handle(savePlan, async ({ params, body: { document, note, from } }) => {
  // What one of its targets refuses would stop each load from now on.
  await needTargets(db(), parsePlan(document));
  const { id, version } = await store.savePlan(db(), params.feed, document, note, "steward", from);
  return { id, version };
});
