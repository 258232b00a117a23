import { z } from "zod";

/** Which pairs a page is about. */
export const pairQuery = z.object({
  feed: z.string().max(63).optional(),
  load: z.coerce.number().int().min(0).optional(),
});
