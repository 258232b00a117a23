import { db, handle } from "@/app/server.ts";
import { joinClusters, joinRow, putBack, splitMember } from "@/engine/match/clusters.ts";
import { changeClusters } from "@/routes/loads.ts";

export const POST = handle(changeClusters, async ({ params: { id }, body }) => {
  if (body.act === "split") return await splitMember(db(), id, body.first, body.at, "steward");
  if (body.act === "back") return await putBack(db(), id, body.first, body.at, "steward");
  if (body.act === "row") return await joinRow(db(), id, body.first, body.key, "steward");
  return await joinClusters(db(), id, body.first, body.other, "steward");
});
