import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { proposals, refuseProposal } from "@/store/references.ts";

const input = z.object({ id: z.int() });

/** Entries that loads propose for the list. */
export const GET = route<{ list: string }>(async (_, { list }) => ({ proposals: await proposals(db(), list) }));

/** Says that a proposed entry is none. */
export const DELETE = route<{ list: string }>(async (request) => {
  await refuseProposal(db(), input.parse(await body(request)).id, "steward");
  return { ok: true };
});
