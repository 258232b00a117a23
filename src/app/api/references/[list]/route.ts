import { db, handle } from "@/app/server.ts";
import { changeEntries, listEntries } from "@/routes/references.ts";
import { needKeptHere } from "@/store/lists-asked.ts";
import * as store from "@/store/references.ts";

export const GET = handle(listEntries, async ({ params: { list }, query: { q, offset, limit } }) => ({
  list: await store.getReference(db(), list),
  ...(await store.searchEntries(db(), list, q, limit, offset)),
}));

export const POST = handle(changeEntries, async ({ params: { list }, body: { from, note, ...entries } }) => {
  await needKeptHere(db(), list);
  return { version: await store.changeReference(db(), list, from, entries, note, "steward") };
});
