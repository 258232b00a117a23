import type { Reference, References } from "@/core/kernel/reference.ts";
import { basename } from "node:path";
import { listsOf } from "@/core/plan/uses.ts";
import { fileLists } from "@/engine/load/delivery-lists.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError, listed } from "@/core/kernel/problem.ts";
import type { Spool } from "@/core/read/source.ts";
import { readEntries } from "@/engine/look/read-list.ts";
import { fileSource } from "./files.ts";

/** Columns of a list that have a part of their own where they are called so. */
const PARTS = ["accepted", "since", "until"] as const;

/**
 * Reference lists: files of the delivery at `paths`, as the plan says, and others given as
 * `name=file`, of which the first column is the key and columns called accepted, since and until are
 * what they say. Tells on standard error of look-ups without their list. Throws `usage` for what is
 * not so written.
 */
export async function readLists(
  plan: Plan,
  given: readonly string[],
  spool: Spool,
  paths: readonly string[] = [],
): Promise<References> {
  const files = paths.map((path) => ({ name: basename(path), open: () => fileSource(path) }));
  const lists = new Map<string, Reference>(await fileLists(plan.lookup ?? [], files, spool));
  for (const words of given) {
    const [, name, path] = /^([a-z][a-z0-9_]*)=(.+)$/.exec(words) ?? [];
    if (!name || !path) {
      throw new SieveError("usage", `“${words}” is no list.`, {
        hint: "Write it as name=file, such as taxa=taxa.csv.",
      });
    }
    const { columns, entries } = await readEntries(await fileSource(path), {}, spool);
    const parts = Object.fromEntries(PARTS.flatMap((p) => (columns.includes(p) ? [[p, p]] : [])));
    lists.set(name, { name, version: 1, columns, entries, key: columns[0] ?? "", ...parts });
  }
  const lacking = listsOf(plan).filter((name) => !lists.has(name));
  if (lacking.length > 0) {
    process.stderr.write(
      `the plan asks ${listed(lacking)}, which was not given, so its look-ups are passed over; give it as --list ${lacking[0]}=FILE\n`,
    );
  }
  return lists;
}
