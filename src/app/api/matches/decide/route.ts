import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { MOST_PAIRS, decidePairs, withdrawPairs } from "@/engine/match/decide.ts";

const decisions = z.object({
  decisions: z
    .array(z.object({ pair: z.int(), decision: z.enum(["same", "different"]) }))
    .min(1)
    .max(MOST_PAIRS),
});
const pairs = z.object({ pairs: z.array(z.int()).min(1).max(MOST_PAIRS) });

/** Decides pairs; the records that waited for them go on. */
export const POST = route(async (request) => ({
  settled: await decidePairs(db(), decisions.parse(await body(request)).decisions, "steward"),
}));

/** Takes decisions back. */
export const DELETE = route(async (request) => ({
  settled: await withdrawPairs(db(), pairs.parse(await body(request)).pairs, "steward"),
}));
