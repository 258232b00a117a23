import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { listPlans, savePlan } from "@/store/feeds.ts";

const input = z.object({ document: z.unknown(), note: z.string().min(1).max(500), from: z.int().optional() });

export const GET = route<{ feed: string }>(async (_, { feed }) => ({ plans: await listPlans(db(), feed) }));

/** Saves the plan as the next version. */
export const POST = route<{ feed: string }>(async (request, { feed }) => {
  const { document, note, from } = input.parse(await body(request));
  const plan = await savePlan(db(), feed, document, note, "steward", from);
  return { id: plan.id, version: plan.version };
});
