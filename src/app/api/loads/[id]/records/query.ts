import { z } from "zod";
import { HELD_AT, OUTCOMES } from "@/core/kernel/ledger.ts";
import { KEPT_BECAUSE } from "@/core/plan/arriving.ts";
import { STAGES } from "@/core/plan/types.ts";

/** Which records of a load are asked for, as in the address of their page. */
export const recordQuery = z.object({
  outcome: z.enum([...OUTCOMES, "loaded"]).optional(),
  at: z.enum(HELD_AT).optional(),
  left: z.enum(STAGES).optional(),
  check: z.string().max(400).optional(),
  field: z.string().max(63).optional(),
  is: z.enum(["filled", "empty", "valid", "faulty", "changed"]).optional(),
  kept: z.enum(KEPT_BECAUSE).optional(),
  against: z.coerce.number().int().min(1).optional(),
  was: z.enum(OUTCOMES).optional(),
  step: z.coerce.number().int().min(0).max(500).optional(),
  from: z.coerce.number().int().min(0).default(0),
  limit: z.coerce.number().int().min(1).max(500).default(100),
});
