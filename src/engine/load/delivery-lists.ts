import type { Reference, References } from "@/core/kernel/reference.ts";
import type { LookUp } from "@/core/lookup/schema.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError, listed, quoted } from "@/core/kernel/problem.ts";
import { fitsName } from "@/core/kernel/file-name.ts";
import type { SourceFile, Spool } from "@/core/read/source.ts";
import type { Queryable } from "@/store/db.ts";
import { getDelivery, storedFileOf } from "@/store/deliveries.ts";
import { readEntries } from "../look/read-list.ts";
import { fileSpool } from "../threads/spool.ts";

/** The column by which the entries of a file are spoken of: the one that is asked by. */
function keyOf(lookUp: LookUp, columns: readonly string[]): string {
  const asked = lookUp.by?.[0]?.column ?? (lookUp.how === "range" ? lookUp.from : undefined);
  return asked !== undefined && columns.includes(asked) ? asked : (columns[0] ?? "");
}

/**
 * The lists of a plan's look-ups that are files of the delivery itself. Throws `list-missing` where
 * the delivery has no such file.
 */
export async function fileLists(
  lookUps: readonly LookUp[],
  files: readonly { readonly name: string; open(): SourceFile | Promise<SourceFile> }[],
  spool: Spool,
): Promise<References> {
  const lists = new Map<string, Reference>();
  for (const lookUp of lookUps) {
    if (lookUp.file === undefined || lists.has(lookUp.list)) continue;
    const fit = files.filter((f) => fitsName(lookUp.file!, f.name));
    if (fit.length === 0) {
      throw new SieveError(
        "list-missing",
        `The delivery has no file ${quoted(lookUp.file)}, which the look-up ${lookUp.name} asks.`,
        {
          detail: `Its files are ${listed(files.map((f) => f.name))}.`,
          hint: "Send the files together, or change the look-up.",
        },
      );
    }
    let columns: string[] = [];
    const entries: string[][] = [];
    for (const file of fit) {
      const part = await readEntries(await file.open(), {}, spool);
      if (columns.length === 0) columns = part.columns;
      const order = columns.map((c) => part.columns.indexOf(c));
      for (const cells of part.entries) entries.push(order.map((i) => cells[i] ?? ""));
    }
    lists.set(lookUp.list, { name: lookUp.list, version: 0, columns, entries, key: keyOf(lookUp, columns) });
  }
  return lists;
}

/** Deliveries whose lists are kept at hand: pages of a load's records ask for them again and again. */
const MOST_KEPT = 4;
const kept = new Map<string, References>();

/** The same for a delivery in the store; none where the plan has no such look-up. */
export async function deliveryLists(db: Queryable, delivery: number, plan: Plan): Promise<References> {
  const lookUps = (plan.lookup ?? []).filter((l) => l.file !== undefined);
  if (lookUps.length === 0) return new Map();
  const key = JSON.stringify([delivery, lookUps.map((l) => [l.list, l.file, l.by])]);
  const known = kept.get(key);
  if (known) return known;
  const { files } = await getDelivery(db, delivery);
  const { spool, close } = fileSpool();
  try {
    const lists = await fileLists(
      lookUps,
      files.map((f) => ({ name: f.name, open: () => storedFileOf(db, f) })),
      spool,
    );
    kept.set(key, lists);
    for (const old of kept.keys()) if (kept.size > MOST_KEPT) kept.delete(old);
    return lists;
  } finally {
    await close();
  }
}
