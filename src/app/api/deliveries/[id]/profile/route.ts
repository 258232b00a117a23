import { z } from "zod";
import { body, db, route, wholeNumber } from "@/app/server.ts";
import type { ReadSection } from "@/core/plan/schema.ts";
import { readSectionSchema } from "@/core/read/settings.ts";
import { askForProfile } from "@/store/profiles.ts";

const input = z.object({ read: readSectionSchema.nullable().default(null) });

/** Asks for a profile of the whole delivery; the same one again when it is there. */
export const POST = route<{ id: string }>(async (request, { id }) => {
  const { read } = input.parse(await body(request));
  return { profile: await askForProfile(db(), wholeNumber(id, "The delivery"), read as ReadSection | null) };
});
