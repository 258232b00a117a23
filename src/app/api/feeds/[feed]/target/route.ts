import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { alterationsOf } from "@/engine/writing/target.ts";

const input = z.object({ document: z.unknown() });

/** What a plan, saved or not, would have altered in its target, and what it may not alter. */
export const POST = route<{ feed: string }>(async (request) => {
  const { document } = input.parse(await body(request));
  return await alterationsOf(db(), parsePlan(document));
});
