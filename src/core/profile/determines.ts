import type { ColumnProfile, Determines } from "./facts.ts";

/** Columns of few values that take part. */
const PAIRED_COLUMNS = 10;

/**
 * Columns whose every value goes with one value of another column.
 * @param paired by column, the hashes of its values in the first records, 0 where it is empty
 * @param records how many of them were compared
 */
export function findDetermines(
  columns: readonly ColumnProfile[],
  paired: readonly Int32Array[],
  records: number,
): Determines[] {
  const few = columns
    .map((column, c) => ({ column, c }))
    .filter(({ column, c }) => paired[c] && column.distinct > 1 && column.distinct < Math.min(2000, records / 4))
    .slice(0, PAIRED_COLUMNS);
  const found: Determines[] = [];
  for (const x of few) {
    for (const y of few) {
      if (x === y || y.column.distinct > x.column.distinct) continue;
      const goesWith = new Map<number, number>();
      const [a, b] = [paired[x.c]!, paired[y.c]!];
      let holds = true;
      let met = 0;
      for (let r = 0; r < records && holds; r++) {
        if (a[r] === 0 || b[r] === 0) continue;
        const known = goesWith.get(a[r]!);
        if (known === undefined) goesWith.set(a[r]!, b[r]!);
        else {
          met++;
          holds = known === b[r];
        }
      }
      if (holds && met > goesWith.size * 2) found.push({ column: x.column.name, other: y.column.name });
    }
  }
  return found;
}
