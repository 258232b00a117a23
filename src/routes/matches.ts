import { z } from "zod";
import { PAIR_ORDERS } from "@/core/match/model/asked.ts";
import { MOST_PAIRS_DECIDED } from "@/core/kernel/limits.ts";
import type { Settled } from "@/engine/match/decide.ts";
import type { AskedPair, countPairs } from "@/store/matches.ts";
import { answerOf, declare } from "./declare.ts";

const settled = z.object({ settled: answerOf<Settled[]>("what became of each record that waited") });

/** Which pairs a page is about. */
export const pairFilter = {
  feed: z.string().max(63).optional(),
  load: z.coerce.number().int().min(0).optional(),
};

/** And in which order. */
export const pairAsked = { ...pairFilter, order: z.enum(PAIR_ORDERS).optional() };

export const listPairs = declare("GET /api/matches", {
  about: "pairs to be decided: the most alike first, or with `order=unsure` those that teach most",
  query: pairAsked,
  answer: answerOf<{ pairs: AskedPair[]; count: Awaited<ReturnType<typeof countPairs>> }>(
    "pairs with both records and what speaks for and against, and how many there are",
  ),
});

export const decidePairs = declare("POST /api/matches/decide", {
  about: "decides them and sends their records on",
  body: z.object({
    decisions: z
      .array(z.object({ pair: z.int(), decision: z.enum(["same", "different"]) }))
      .min(1)
      .max(MOST_PAIRS_DECIDED),
  }),
  answer: settled,
  problems: ["no-pair"],
});

export const withdrawPairs = declare("DELETE /api/matches/decide", {
  about: "takes that back",
  body: z.object({ pairs: z.array(z.int()).min(1).max(MOST_PAIRS_DECIDED) }),
  answer: settled,
  problems: ["no-pair"],
});
