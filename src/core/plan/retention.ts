import { z } from "zod";

const days = z.int().min(1).max(36500).nullable();

/** How long what is kept of a feed. */
export const retentionSchema = z.strictObject({
  bytesDays: days.describe("Days after a delivery came until its bytes expire; null keeps them for ever"),
  ledgerDays: days.describe("Days after a load ended until what is known of its single records expires"),
  settledDays: days.describe("Days after a held record was released or discarded until what was in it expires"),
  undoLoads: z.int().min(1).max(100).describe("Loads of the target that can be undone, counted back from the latest"),
});
export type Retention = z.infer<typeof retentionSchema>;
