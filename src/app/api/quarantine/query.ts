import { z } from "zod";
import { HELD_AT } from "@/core/kernel/ledger.ts";
import { HELD_STATES } from "@/store/held.ts";

/** Which held records a page or a file is about. */
export const heldQuery = z.object({
  feed: z.string().max(63).optional(),
  load: z.coerce.number().int().min(0).optional(),
  check: z.string().max(400).optional(),
  at: z.enum(HELD_AT).optional(),
  state: z.enum(HELD_STATES).optional(),
  after: z.string().max(30).default(""),
  limit: z.coerce.number().int().min(1).max(500).default(200),
});
