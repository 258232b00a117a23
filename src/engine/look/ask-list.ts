import type pg from "pg";
import { askedWords, type Asked } from "@/core/lookup/asked.ts";
import { listsOf } from "@/core/plan/uses.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError, counted } from "@/core/kernel/problem.ts";
import { ident, isStoreAway, type Db } from "@/store/db.ts";
import { setAsked } from "@/store/lists-asked.ts";
import { MOST_ENTRIES, getReference, versionAsked, type ReferenceInfo } from "@/store/references.ts";
import { alone, bare, openReader } from "../sources/others-sql.ts";
import { ORIGIN } from "../writing/target.ts";
import { takeEntries, type ListToBe, type Taken } from "./take-list.ts";

/** Lists that other systems keep, asked as they are at this moment. */

const MOST_SECONDS = 120;
const AT_ONCE = 10_000;
/** Values as the database writes them, whatever their type. */
const AS_TEXT = { getTypeParser: () => (text: string) => text };

/** Asks a list of where it is kept, in a transaction that can't write. Throws `list-away`, `list-refused` and `list-invalid`. */
export async function entriesAsked(db: Db, asked: Asked): Promise<Taken> {
  try {
    return "table" in asked
      ? await fetchAll(db, null, `select * from ${ident(...asked.table.split("."))}`)
      : await fetchAll(db, asked.connection, bare(asked.sql));
  } catch (error) {
    if (error instanceof SieveError) throw error;
    const words = `The list could not be asked of ${askedWords(asked)}.`;
    const detail = (error as Error).message;
    if (isStoreAway(error))
      throw new SieveError("list-away", words, { detail, hint: "See that its database can be reached." });
    throw new SieveError("list-refused", words, {
      detail,
      hint: "See that what is asked for is there, and that the role may read it.",
    });
  }
}

/** All that a query gives. */
async function fetchAll(db: Db, connection: string | null, query: string): Promise<Taken> {
  const { client, end } = await openReader(db, connection, { called: "list", seconds: MOST_SECONDS });
  try {
    await client.query(alone(`declare list_asked no scroll cursor for ${query}`));
    return await fetched(client);
  } finally {
    await end();
  }
}

/** All rows of the cursor `list_asked`. */
async function fetched(client: pg.ClientBase): Promise<Taken> {
  const entries: string[][] = [];
  for (;;) {
    const { rows, fields } = await client.query<(string | null)[]>({
      text: `fetch ${AT_ONCE} from list_asked`,
      rowMode: "array",
      types: AS_TEXT as never,
    });
    const kept = fields.flatMap((f, i) => (ORIGIN.includes(f.name) ? [] : [i]));
    const columns = kept.map((i) => fields[i]!.name);
    if (new Set(columns).size < columns.length) {
      throw new SieveError("list-invalid", "Two columns of the query have the same name.", {
        hint: "Give each a name of its own, with “as”.",
      });
    }
    for (const row of rows) entries.push(kept.map((i) => (row[i] ?? "").trim()));
    if (entries.length > MOST_ENTRIES) {
      throw new SieveError(
        "list-invalid",
        `The list would have more than ${counted(MOST_ENTRIES, "entry", "entries")}.`,
        {
          hint: "Ask for fewer.",
        },
      );
    }
    if (rows.length < AT_ONCE) return { columns, entries: entries.filter((cells) => cells.some((c) => c !== "")) };
  }
}

/** Makes a list of what a database has, or asks one anew in another way. Throws what asking does, and what taking entries does. */
export async function makeAskedList(
  db: Db,
  list: Omit<ListToBe, "note" | "asked">,
  asked: Asked,
  by: string,
): ReturnType<typeof takeEntries> {
  const taken = await entriesAsked(db, asked);
  return await takeEntries(db, { ...list, asked, note: `asked of ${askedWords(asked)}` }, taken, by);
}

/** Asks a list again: what has changed is its next version. Throws `no-list`, `list-not-asked` and what asking does. */
export async function askAgain(db: Db, name: string, by: string): ReturnType<typeof takeEntries> {
  const { asked, title, about } = await getReference(db, name);
  if (!asked) {
    throw new SieveError("list-not-asked", `The list ${name} is kept here, and asked of nobody.`, {
      hint: "Change its entries, or bring in a file.",
    });
  }
  return await makeAskedList(db, { name, title, about, parts: {} }, asked, by);
}

/**
 * Asks the lists that a plan needs and that other systems keep, before a load reads anything. A list that the load has
 * asked already, before a worker died, stays as it was then.
 */
export async function askListsOf(db: Db, plan: Plan, load: number): Promise<void> {
  for (const name of listsOf(plan)) {
    const info: ReferenceInfo = await getReference(db, name);
    if (!info.asked || (await versionAsked(db, load, name)) !== undefined) continue;
    await askAgain(db, name, `load ${load}`).catch(async (error: unknown) => {
      // Two loads that ask at the same time find the same, and one of them was first.
      if (!(error instanceof SieveError) || error.code !== "list-moved") throw error;
      await setAsked(db, name, info.asked!);
    });
  }
}
