import { db, handle } from "@/app/server.ts";
import { afterLoad, doAfterAgain } from "@/routes/loads.ts";
import { afterOf, doAgain } from "@/store/after.ts";
import { getLoad } from "@/store/loads.ts";

export const GET = handle(afterLoad, async ({ params: { id } }) => ({
  after: await afterOf(db(), (await getLoad(db(), id)).id),
}));

export const POST = handle(doAfterAgain, async ({ params: { id }, body: { outcome, n } }) => {
  await doAgain(db(), id, outcome, n, "steward");
});
