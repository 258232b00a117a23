import { askedSchema } from "@/core/lookup/asked.ts";
import { SieveError, counted } from "@/core/kernel/problem.ts";
import { askAgain, makeAskedList } from "@/engine/look/ask-list.ts";
import { openDb } from "@/store/db.ts";

export interface ListFlags {
  readonly table?: string;
  readonly connection?: string;
  readonly sql?: string;
  readonly title?: string;
  readonly key?: string;
}

/** Asks a list again, or makes one where it is said of what. Throws `usage` and what asking does. */
export async function list(name: string, { table, connection, sql, title = "", key }: ListFlags): Promise<void> {
  const said = table === undefined ? { connection, sql } : { table };
  const makes = Object.values(said).some((v) => v !== undefined);
  const asked = askedSchema.safeParse(said);
  if (makes && !asked.success) {
    throw new SieveError("usage", "It is not said of what the list is to be made.", {
      hint: "Give --table SCHEMA.TABLE, or both --connection NAME and --sql QUERY.",
    });
  }
  const db = openDb(undefined, 2);
  try {
    const { list: info, before } = asked.success
      ? await makeAskedList(db, { name, title, about: "", parts: { key } }, asked.data, "command line")
      : await askAgain(db, name, "command line");
    const now = info.version === before ? "unchanged" : `version ${info.version}`;
    process.stdout.write(`${name}: ${now}, ${counted(info.entries, "entry", "entries")}\n`);
  } finally {
    await db.end();
  }
}
