import { db, handle } from "@/app/server.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { alterationsOf } from "@/engine/writing/alterations.ts";
import { targetOfPlan } from "@/routes/feeds.ts";

export const POST = handle(targetOfPlan, ({ body }) => alterationsOf(db(), parsePlan(body.document)));
