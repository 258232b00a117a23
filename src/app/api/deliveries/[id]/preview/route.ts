import { z } from "zod";
import { body, route, wholeNumber } from "@/app/server.ts";
import type { ReadSettings } from "@/core/read/part.ts";
import { readSettingsSchema } from "@/core/read/settings.ts";
import { apart, lookLimits } from "@/engine/apart/apart.ts";

const input = z.object({ read: readSettingsSchema.default({}), most: z.int().min(1).max(2000).optional() });

/** What the delivery's files are, each guess with its evidence, and their first records. */
export const POST = route<{ id: string }>(async (request, { id }) => {
  const { read, most } = input.parse(await body(request));
  const delivery = wholeNumber(id, "The delivery");
  const limits = { ...lookLimits(), signal: request.signal };
  return { parts: await apart("preview", { delivery, read: read as ReadSettings, most }, limits) };
});
