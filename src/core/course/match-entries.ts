import { columnOf, holdingOf, type Reference } from "../kernel/reference.ts";
import { mapColumns } from "../map/columns.ts";
import type { Compiled } from "./compiled.ts";
import { SieveError, listed } from "../kernel/problem.ts";
import { siftRows } from "./recheck.ts";
import { soundValues } from "./of-record.ts";
import { VERDICT } from "../kernel/verdict.ts";
import type { MatchSection } from "../match/schema.ts";

/** An entry of a reference list as a record of a plan. */
export interface KnownEntry {
  readonly list: string;
  /** By what the entry is spoken of. */
  readonly key: string;
  /** By field of the plan; "" where the list has no such column, or no value of the field's type. */
  readonly values: readonly string[];
}

/**
 * The entries of a list that hold on a day, as records of a plan: their columns meet its fields by
 * name, and they are cleansed as records are, so that they are compared in the same spelling. Those
 * that the plan would leave out are left out.
 * @param day as ISO 8601 has it
 * Throws `match-invalid` where the list has no column of anything that is compared.
 */
export function entriesAsRecords(
  compiled: Compiled,
  { fields, list }: Pick<MatchSection, "fields" | "list">,
  reference: Reference,
  day: string,
): KnownEntry[] {
  const columns = reference.columns.map((c) => list?.columns?.[c] ?? c);
  const holds = holdingOf(reference);
  const entries = reference.entries.filter((cells) => holds(cells, day));
  const sifted = siftRows(compiled, columns, entries);
  const compared = fields.flatMap((f) => f.in);
  const missing = new Set(mapColumns(columns, compiled.fields).missing);
  if (compared.every((name) => missing.has(name))) {
    throw new SieveError("match-invalid", `The reference list ${reference.name} has no column of what is compared.`, {
      detail: `Compared: ${listed(compared)}. Its columns: ${listed([...reference.columns])}.`,
      hint: "Say in the plan which of its columns is which field.",
    });
  }
  const key = columnOf(reference, reference.key);
  return entries.flatMap((cells, r): KnownEntry[] => {
    if (sifted.verdict[r] === VERDICT.leftOut) return [];
    return [{ list: reference.name, key: cells[key] ?? "", values: soundValues(sifted, r) }];
  });
}
