import { db, handle } from "@/app/server.ts";
import { seeToNotice } from "@/routes/loads.ts";
import { seeTo } from "@/store/after.ts";

export const POST = handle(seeToNotice, async ({ params: { id }, body: { outcome, n, seen } }) => {
  await seeTo(db(), id, outcome, n, seen ? "steward" : null);
});
