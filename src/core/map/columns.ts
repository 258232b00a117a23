import type { Field } from "../field/field.ts";
import { isOwnColumn } from "../kernel/own-columns.ts";

/** How the columns of one file meet the fields of the contract. */
export interface Mapping {
  /** For each field, the number of its column, -1 for none, or one of ABOUT. */
  readonly column: Int32Array;
  /** Columns that no field takes, but for those that were put there for the sender. */
  readonly extra: readonly string[];
  /** Fields that no column of the file gives. */
  readonly missing: readonly string[];
}

/**
 * Names under which a field takes what is known about its record and stands in no column: the file
 * or sheet that it is in, and its line. A column that is really called so comes first.
 */
export const ABOUT = { "@file": -2, "@line": -3 } as const;

/**
 * What a record has in columns that no field takes, as a JSON object, or "" for nothing.
 * @param columns the file's columns; @param cells the record's, in the same order
 */
export function extraOf(columns: readonly string[], cells: readonly string[], extra: readonly string[]): string {
  const entries = extra.flatMap((name) => {
    const value = cells[columns.indexOf(name)] ?? "";
    return value === "" ? [] : [[name, value] as const];
  });
  return entries.length === 0 ? "" : JSON.stringify(Object.fromEntries(entries));
}

/** A name with case, spacing and punctuation taken out: “Accession No.” and “accession_no” are one. */
export function plainName(name: string): string {
  return name
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "");
}

/**
 * Columns are met by name, whatever their case, spacing, punctuation and order: by the field's own
 * name first, then by its title, then by the names in `also`. A column goes to one field only.
 */
export function mapColumns(columns: readonly string[], fields: readonly Field[]): Mapping {
  const byName = new Map<string, number>();
  columns.forEach((name, i) => {
    const plain = plainName(name);
    if (!byName.has(plain)) byName.set(plain, i);
  });
  const column = new Int32Array(fields.length).fill(-1);
  const taken = new Set<number>();
  const names = (f: Field): string[][] => [[f.name], f.title ? [f.title] : [], f.also ?? []];
  for (let round = 0; round < 3; round++) {
    fields.forEach((field, i) => {
      if (column[i] !== -1) return;
      for (const name of names(field)[round]!) {
        const at = byName.get(plainName(name));
        if (at === undefined || taken.has(at)) continue;
        column[i] = at;
        taken.add(at);
        return;
      }
    });
  }
  fields.forEach((field, i) => {
    if (column[i] !== -1) return;
    for (const [name, code] of Object.entries(ABOUT)) if (field.also?.includes(name)) column[i] = code;
  });
  return {
    column,
    extra: columns.filter((name, i) => !taken.has(i) && !isOwnColumn(name)),
    missing: fields.filter((_, i) => column[i] === -1).map((f) => f.name),
  };
}
