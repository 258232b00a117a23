import { z } from "zod";
import { LEFT_BECAUSE, UNDO_DOES } from "@/engine/undo/undo.ts";

/** Which rows of an undo's preview are asked for. */
export const previewQuery = z.object({
  does: z.enum(UNDO_DOES).optional(),
  left: z.enum([...LEFT_BECAUSE, "any"]).optional(),
  from: z.coerce.number().int().min(0).max(2_000_000_000).default(0),
});

/** What becomes of rows that somebody has changed since: all are left, all are undone, or those with these keys. */
export const overChanged = z
  .union([z.enum(["none", "all"]), z.array(z.string().max(4000)).max(10_000)])
  .default("none");
