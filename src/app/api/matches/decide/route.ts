import { db, handle } from "@/app/server.ts";
import * as engine from "@/engine/match/decide.ts";
import { decidePairs, withdrawPairs } from "@/routes/matches.ts";

export const POST = handle(decidePairs, async ({ body }) => ({
  settled: await engine.decidePairs(db(), body.decisions, "steward"),
}));

export const DELETE = handle(withdrawPairs, async ({ body }) => ({
  settled: await engine.withdrawPairs(db(), body.pairs, "steward"),
}));
