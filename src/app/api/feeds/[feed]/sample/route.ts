import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { readSectionSchema } from "@/core/read/settings.ts";
import type { ReadSection } from "@/core/plan/schema.ts";
import { MOST_SAMPLED, sampleDelivery } from "@/engine/sample.ts";
import { planInForce } from "@/store/feeds.ts";

const input = z.object({
  delivery: z.int(),
  read: readSectionSchema,
  size: z.int().min(10).max(MOST_SAMPLED).default(2000),
  following: z.boolean().default(false),
});

/** Records of a delivery that are worth looking at while the feed's plan is being changed. */
export const POST = route<{ feed: string }>(async (request, { feed }) => {
  const { delivery, read, size, following } = input.parse(await body(request));
  const { document } = await planInForce(db(), feed);
  return await sampleDelivery(db(), delivery, document, read as unknown as ReadSection, size, following);
});
