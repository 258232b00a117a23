import { z } from "zod";
import { body, db, route, wholeNumber } from "@/app/server.ts";
import { joinClusters, putBack, splitMember } from "@/engine/match/clusters.ts";

const input = z.discriminatedUnion("act", [
  z.object({ act: z.literal("split"), first: z.int().min(0), at: z.int().min(1) }),
  z.object({ act: z.literal("back"), first: z.int().min(0), at: z.int().min(1) }),
  z.object({ act: z.literal("join"), first: z.int().min(0), other: z.int().min(0) }),
]);

/** What a person makes of a load's clusters: a member split off or put back, or two joined. */
export const POST = route<{ id: string }>(async (request, { id }) => {
  const load = wholeNumber(id, "The load");
  const asked = input.parse(await body(request));
  if (asked.act === "split") await splitMember(db(), load, asked.first, asked.at, "steward");
  else if (asked.act === "back") await putBack(db(), load, asked.first, asked.at, "steward");
  else await joinClusters(db(), load, asked.first, asked.other, "steward");
  return { ok: true };
});
