import { db, handle } from "@/app/server.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { copyOutlook } from "@/engine/copies/outlook.ts";
import { copiesOfPlan } from "@/routes/feeds.ts";

export const POST = handle(copiesOfPlan, async ({ body }) => ({
  copies: await copyOutlook(db(), parsePlan(body.document)),
}));
