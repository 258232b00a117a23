import { z } from "zod";
import { body, db, route, wholeNumber } from "@/app/server.ts";
import { askForLoad } from "@/store/loads.ts";

const input = z.object({
  again: z.boolean().default(false),
  without: z.object({ checks: z.array(z.string().max(400)).min(1).max(500), reason: z.string().max(500) }).optional(),
});

/** Asks for the delivery to be loaded; 409 with the earlier load when its bytes were loaded before. */
export const POST = route<{ id: string }>(async (request, { id }) => {
  const { again, without } = input.parse(await body(request));
  return { load: await askForLoad(db(), wholeNumber(id, "The delivery"), again, without) };
});
