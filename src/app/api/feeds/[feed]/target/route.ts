import { db, handle } from "@/app/server.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { alterationsOfAll } from "@/engine/writing/alterations.ts";
import { targetOfPlan } from "@/routes/feeds.ts";

export const POST = handle(targetOfPlan, async ({ body }) => ({
  targets: await alterationsOfAll(db(), parsePlan(body.document)),
}));
