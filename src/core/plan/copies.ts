import { z } from "zod";
import { counted, grouped } from "../kernel/problem.ts";
import { othersSchema, plainNameSchema, sqlNameSchema } from "./name.ts";

/** Copies of a target in other databases, which every writing of the target keeps in step. */

/** What becomes of rows there that are not as the copy left them. */
export const OTHERS = ["refuse", "leave"] as const;

export const copySchema = z
  .strictObject({
    connection: plainNameSchema.describe("The connection to the other database"),
    schema: othersSchema.optional().describe("The table's schema there; public unless said"),
    table: sqlNameSchema
      .optional()
      .describe("The table there, made where there is none; called like the target unless said"),
    others: z
      .enum(OTHERS)
      .optional()
      .describe(
        "Rows there that others have put in, changed or removed: refuse, where nothing is written here or there; or leave, where they stay as they are and are counted. refuse unless said",
      ),
  })
  .describe("A table of another database that has the rows of this one, changed together with it");
export type TargetCopy = z.infer<typeof copySchema>;

export const copiesSchema = z
  .array(copySchema)
  .min(1)
  .max(10)
  .optional()
  .describe("Tables of other databases that are kept in step with this one: by two-phase commit where they allow it");

/** How a copy is committed together with its target. */
export type CopiedHow = "two phases" | "in order";

/** The schema of a copy's table, and the table. */
export function placeOf({ schema, table }: TargetCopy, target: string): readonly [schema: string, table: string] {
  return [schema ?? "public", table ?? target];
}

/** What is wrong with the copies of a table: which of them, and words. */
export function copyFaults(
  copies: readonly TargetCopy[],
  {
    target,
    key,
    undo,
  }: { readonly target: string; readonly key: readonly string[]; readonly undo?: boolean | undefined },
): { at: number; message: string }[] {
  const places = copies.map((c) => [c.connection, ...placeOf(c, target)].join(" "));
  return copies.flatMap((_, at) => {
    const faults: { at: number; message: string }[] = [];
    if (key.length === 0) faults.push({ at, message: "A copy needs a key, by which its rows are known." });
    if (undo === false)
      faults.push({ at, message: "A copy needs the rows that a load changes, which this plan does not keep." });
    if (places.indexOf(places[at]!) < at) faults.push({ at, message: "It is the same table as another copy." });
    return faults;
  });
}

/** What one act did to a copy: rows = inserted + updated + unchanged + removed + left. */
export interface CopyCounts {
  /** The target, with its schema. */
  readonly target: string;
  readonly connection: string;
  /** The table there, with its schema. */
  readonly table: string;
  readonly how: CopiedHow;
  /** Rows of the target that changed, or all of them where the copy was filled. */
  readonly rows: number;
  readonly inserted: number;
  readonly updated: number;
  /** Rows that were there already as they should be. */
  readonly unchanged: number;
  readonly removed: number;
  /** Rows that others have changed there, which stay as they are. */
  readonly left: number;
}

/** Throws where a balance does not close. */
export function assertCopied(c: CopyCounts): void {
  if (c.rows === c.inserted + c.updated + c.unchanged + c.removed + c.left) return;
  throw new Error(`the balance of ${c.table} on ${c.connection} does not close: ${JSON.stringify(c)}`);
}

/** What a trial says of a copy: how it will be committed, and what stands in its way, if anything does. */
export interface CopyOutlook {
  readonly target: string;
  readonly connection: string;
  readonly table: string;
  readonly how: CopiedHow | null;
  /** The table is there. */
  readonly exists: boolean;
  /** In words; empty where nothing does. */
  readonly hindrance: string;
}

const HOW: Readonly<Record<CopiedHow, string>> = {
  "two phases": "by two-phase commit",
  "in order": "in order, and taken back where what comes after it fails",
};
/** How a copy is committed, in words. */
export const howWords = (how: CopiedHow): string => HOW[how];

/** The counts in a line: “public.accession on warehouse: 12 rows = 10 inserted + 2 updated, by two-phase commit”. */
export function copyLine(c: CopyCounts): string {
  const became = (["inserted", "updated", "unchanged", "removed", "left"] as const)
    .filter((o) => c[o] > 0)
    .map((o) => `${grouped(c[o])} ${o}`);
  return `${c.table} on ${c.connection}: ${counted(c.rows, "row")} = ${became.join(" + ") || "0"}, ${HOW[c.how]}`;
}

/** What is said of a copy before anything is written, in a line. */
export function outlookLine({ table, connection, how, exists, hindrance }: CopyOutlook): string {
  const place = `${table} on ${connection}`;
  if (hindrance !== "") return `${place}: ${hindrance}`;
  return `${place}: would be ${exists ? "changed" : "made"}${how ? `, ${HOW[how]}` : ""}`;
}
