import { MemorySpill } from "@/core/check/repeats.ts";
import type { ColumnProfile, Profile } from "@/core/profile/facts.ts";
import { ProfileFold } from "@/core/profile/profile.ts";
import { propose, type Proposal } from "@/core/profile/propose.ts";
import { openFile } from "@/core/read/source.ts";
import { csvRow } from "@/core/write/csv.ts";
import { memoryFile } from "./formats.ts";

/** Profiles and proposals of columns that a test writes down. */

export async function profileOf(columns: Record<string, readonly (string | number)[]>, day?: string): Promise<Profile> {
  const names = Object.keys(columns);
  const rows = columns[names[0]!]!.map((_, r) => names.map((n) => String(columns[n]![r]!)));
  const text = [names, ...rows].map((row) => csvRow(row)).join("");
  const fold = new ProfileFold(new MemorySpill(), rows.length, day);
  const source = memoryFile("f.csv", text);
  for await (const opened of openFile(source, { delimiter: "," }, async () => memoryFile("", ""), { next: 0 })) {
    for await (const block of opened.blocks) fold.add(block, opened.columns());
    fold.name(opened.columns());
  }
  return fold.finish();
}

/** The profile of one column, beside one that numbers the records. */
export async function columnOf(values: readonly (string | number)[], day?: string): Promise<ColumnProfile> {
  return (await profileOf({ n: values.map((_, i) => i), v: values }, day)).columns[1]!;
}

export async function proposed(columns: Record<string, readonly (string | number)[]>): Promise<Proposal> {
  return propose(await profileOf(columns), { feed: "f", read: { as: "delimited" } as never });
}
