import { db, handle } from "@/app/server.ts";
import { listProposals, refuseProposal } from "@/routes/references.ts";
import * as store from "@/store/references.ts";

export const GET = handle(listProposals, async ({ params: { list } }) => ({
  proposals: await store.proposals(db(), list),
}));

export const DELETE = handle(refuseProposal, async ({ body }) => {
  await store.refuseProposal(db(), body.id, "steward");
  return { ok: true };
});
