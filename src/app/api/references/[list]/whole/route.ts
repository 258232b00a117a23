import { db, handle } from "@/app/server.ts";
import { SieveError, grouped } from "@/core/kernel/problem.ts";
import { wholeList } from "@/routes/references.ts";
import { getReference, readReference } from "@/store/references.ts";

/** Entries of a list that is handed out whole, for formulas that ask it while they are written. */
const MOST_WHOLE = 50_000;

export const GET = handle(wholeList, async ({ params: { list } }) => {
  const { entries } = await getReference(db(), list);
  if (entries > MOST_WHOLE) {
    throw new SieveError("list-large", `The list ${list} has ${grouped(entries)} entries.`, {
      hint: `Formulas are tried while they are written with lists of up to ${grouped(MOST_WHOLE)}; a trial asks any list.`,
    });
  }
  return await readReference(db(), list);
});
