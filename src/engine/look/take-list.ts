import type { ReferenceShape } from "@/core/kernel/reference.ts";
import type { Asked } from "@/core/lookup/asked.ts";
import { plainNameSchema } from "@/core/plan/name.ts";
import { SieveError, listed } from "@/core/kernel/problem.ts";
import type { Db } from "@/store/db.ts";
import { setAsked } from "@/store/lists-asked.ts";
import { getReference, listReferences, makeReference, replaceEntries, type ReferenceInfo } from "@/store/references.ts";

/** Columns and entries that come from elsewhere, for a list. */
export interface Taken {
  readonly columns: readonly string[];
  readonly entries: readonly (readonly string[])[];
}

/** What is said of a list that they may be the first version of. */
export interface ListToBe {
  readonly name: string;
  readonly title: string;
  readonly about: string;
  /** What some of its columns are for; one that is not there is for nothing. */
  readonly parts: { readonly [Part in "key" | "accepted" | "since" | "until"]?: string | undefined };
  readonly note: string;
  /** Where they are asked for again and again, if they are. */
  readonly asked?: Asked;
}

/**
 * Takes entries as a new list, or as the next version of one that is there, whose columns are met by name. Throws `usage`
 * for what can't be a list's name, and `list-invalid`.
 */
export async function takeEntries(
  db: Db,
  { name, title, about, parts, note, asked }: ListToBe,
  { columns, entries }: Taken,
  by: string,
): Promise<{ list: ReferenceInfo; version: number; before: number }> {
  if (!plainNameSchema.safeParse(name).success) {
    throw new SieveError("usage", `“${name}” is no name for a list.`, {
      hint: "Lower-case letters, digits and underscores, beginning with a letter.",
    });
  }
  const there = (await listReferences(db)).find((r) => r.name === name);
  if (there) {
    const order = orderOf(there.shape, columns);
    const next = entries.map((cells) => order.map((i) => cells[i]!));
    const version = await replaceEntries(db, name, there.version, next, note, by);
    if (asked) await setAsked(db, name, asked);
    return { list: await getReference(db, name), version, before: there.version };
  }
  const own = Object.fromEntries(Object.entries(parts).filter(([, column]) => column && columns.includes(column)));
  const shape = { columns, ...own, key: own["key"] ?? columns[0]! } as ReferenceShape;
  await makeReference(db, { name, title: title || name, about, shape }, entries, by, note);
  if (asked) await setAsked(db, name, asked);
  return { list: await getReference(db, name), version: 1, before: 0 };
}

/** Where the columns of a list are among those that came. */
function orderOf({ columns: wanted }: ReferenceShape, columns: readonly string[]): number[] {
  const missing = wanted.filter((c) => !columns.includes(c));
  if (missing.length > 0) {
    throw new SieveError("list-invalid", `There is no column ${listed(missing)}.`, {
      detail: `What came has ${listed(columns)}.`,
      hint: "The next version of a list has the columns that the list has.",
    });
  }
  return wanted.map((c) => columns.indexOf(c));
}
