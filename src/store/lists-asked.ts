import { askedWords, type Asked } from "@/core/lookup/asked.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import type { Queryable } from "./db.ts";
import { getReference } from "./references.ts";

/** Reference lists that other systems keep. */

/** Says where a list is asked, and that it was just now. */
export async function setAsked(db: Queryable, name: string, asked: Asked): Promise<void> {
  await db.query("update sieve.reference set asked = $2, asked_at = now() where name = $1", [
    name,
    JSON.stringify(asked),
  ]);
}

/** Throws `list-asked` for a list that another system keeps: what is changed here would be gone when it is asked again. */
export async function needKeptHere(db: Queryable, name: string): Promise<void> {
  const { asked } = await getReference(db, name);
  if (!asked) return;
  throw new SieveError("list-asked", `The list ${name} is kept elsewhere: it is asked of ${askedWords(asked)}.`, {
    hint: "Change it there; the next load that needs it asks for it as it is then.",
  });
}
