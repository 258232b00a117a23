import { z } from "zod";
import { body, route } from "@/app/server.ts";
import { readSectionSchema } from "@/core/read/settings.ts";
import type { ReadSection } from "@/core/plan/schema.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";
import { MOST_SAMPLED } from "@/engine/look/sample.ts";

const input = z.object({
  delivery: z.int(),
  read: readSectionSchema,
  size: z.int().min(10).max(MOST_SAMPLED).default(2000),
  following: z.boolean().default(false),
});

/** Records of a delivery that are worth looking at while the feed's plan is being changed. */
export const POST = route<{ feed: string }>(async (request, { feed }) => {
  const { read, ...asked } = input.parse(await body(request));
  const limits = { ...lookLimits(), signal: request.signal };
  return await apart("sample", { feed, read: read as unknown as ReadSection, ...asked }, limits);
});
