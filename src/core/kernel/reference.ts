/** What a reference list is like: its columns and what some of them are for. */
export interface ReferenceShape {
  readonly columns: readonly string[];
  /** The column by whose value an entry is spoken of. */
  readonly key: string;
  /** The column that leads from a synonym to its accepted entry, by that one's key. */
  readonly accepted?: string | undefined;
  /** Columns with the first and the last day on which an entry holds, as ISO 8601 dates; empty: no end. */
  readonly since?: string | undefined;
  readonly until?: string | undefined;
}

/** A reference list as it is at one of its versions. */
export interface Reference extends ReferenceShape {
  readonly name: string;
  readonly version: number;
  /** Each entry's cells, by column. */
  readonly entries: readonly (readonly string[])[];
}

/** The lists that a plan's look-ups need, by name. */
export type References = ReadonlyMap<string, Reference>;

export const NO_REFERENCES: References = new Map();

/** The number of a column. Throws nothing: -1 for one that the list does not have. */
export function columnOf(reference: ReferenceShape, name: string | undefined): number {
  return name === undefined ? -1 : reference.columns.indexOf(name);
}

/** Whether the cells of an entry hold on a day, as ISO 8601 has it: on or between those of its days that are said. */
export function holdingOf(reference: ReferenceShape): (cells: readonly string[], day: string) => boolean {
  const [since, until] = [columnOf(reference, reference.since), columnOf(reference, reference.until)];
  return (cells, day) => {
    const [from, to] = [cells[since] ?? "", cells[until] ?? ""];
    return from <= day && (to === "" || day <= to);
  };
}

/**
 * For each entry the number of its accepted entry: its own, unless it is a synonym. A synonym of a
 * synonym is followed; one that leads nowhere, or in a circle, stands for itself.
 */
export function acceptedEntries(reference: Reference): Int32Array {
  const { entries } = reference;
  const own = Int32Array.from({ length: entries.length }, (_, i) => i);
  const [key, accepted] = [columnOf(reference, reference.key), columnOf(reference, reference.accepted)];
  if (key < 0 || accepted < 0) return own;
  const byKey = new Map<string, number>();
  entries.forEach((cells, i) => {
    const value = cells[key]!;
    if (value !== "" && !byKey.has(value)) byKey.set(value, i);
  });
  return own.map((i) => {
    let at = i;
    for (let steps = 0; steps < 20; steps++) {
      const to = entries[at]![accepted]!;
      const next = to === "" ? undefined : byKey.get(to);
      if (next === undefined || next === at) return at;
      at = next;
    }
    return i;
  });
}
