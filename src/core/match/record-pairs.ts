import { MISSING, crossedLevel } from "./density.ts";
import { CROSSED, type Likeness } from "./likeness.ts";
import type { MatchTable, Values } from "./table.ts";

/** Records of a table, from one to before another. */
export interface Stretch {
  readonly table: MatchTable;
  readonly from: number;
  readonly to: number;
}

/** How often each value of a field comes among some records, and how many of them share the value of one taken at random. */
export interface Frequencies {
  readonly counts: readonly Int32Array[];
  readonly usual: readonly number[];
  /** By field: the probability that two records that have a value have the same one. */
  readonly equal: readonly number[];
}

export function frequenciesOf({ table, from, to }: Stretch, values: readonly Values[]): Frequencies {
  const counts = values.map((v, f) => {
    const list = new Int32Array(v.texts.length);
    const column = table.column(f);
    for (let r = from; r < to; r++) list[column[r]!]!++;
    return list;
  });
  const filled = counts.map((list) => to - from - list[0]!);
  const usual = counts.map((list, f) => {
    let together = 0;
    for (let v = 1; v < list.length; v++) together += list[v]! * (list[v]! - 1);
    const n = filled[f]!;
    return n === 0 ? 1 : Math.max(together / n, 1e-6 * n, 1 / n);
  });
  return { counts, usual, equal: usual.map((x, f) => Math.max(1e-6, x / Math.max(1, filled[f]!))) };
}

/** Values in each other's fields are as alike as this. */
const CROSSED_LIKENESS = 0.86;

/** Pairs of records of two stretches, compared field by field; `alike` and `level` hold the pair that was compared last. */
export class RecordPairs {
  readonly alike: Uint8Array;
  readonly level: Uint8Array;
  /** Whether both are the same records. */
  readonly within: boolean;
  private readonly leftColumns: readonly Int32Array[];
  private readonly rightColumns: readonly Int32Array[];
  private readonly crossing: readonly (readonly [number, number])[];

  constructor(
    readonly values: readonly Values[],
    private readonly likeness: readonly Likeness[],
    private readonly levels: readonly Uint8Array[],
    readonly left: Stretch,
    readonly right: Stretch,
    readonly frequencies: Frequencies,
  ) {
    this.within = left.table === right.table && left.from < right.to && right.from < left.to;
    this.alike = new Uint8Array(values.length);
    this.level = new Uint8Array(values.length);
    this.leftColumns = values.map((_, f) => left.table.column(f));
    this.rightColumns = values.map((_, f) => right.table.column(f));
    this.crossing = values.flatMap((v, f) =>
      values.flatMap((w, g) => (f < g && v.textual && w.textual ? [[f, g] as const] : [])),
    );
  }

  /** The level of one field; its likeness and level are kept. */
  compareField(f: number, a: number, b: number): number {
    const byte = (this.alike[f] = this.likeness[f]!.of(this.leftColumns[f]![a]!, this.rightColumns[f]![b]!));
    return (this.level[f] = this.levels[f]![byte]!);
  }

  compare(a: number, b: number): void {
    for (let f = 0; f < this.values.length; f++) this.compareField(f, a, b);
    this.cross(a, b);
  }

  /** Looks for values that stand in each other's fields, once all fields are compared; says whether there are any. */
  cross(a: number, b: number): boolean {
    let found = false;
    const { alike, level, values, leftColumns: left, rightColumns: right } = this;
    for (const [f, g] of this.crossing) {
      if (level[f]! < 4 || level[g]! < 4 || level[f] === MISSING || level[g] === MISSING) continue;
      const af = values[f]!.texts[left[f]![a]!]!;
      const bf = values[f]!.texts[right[f]![b]!]!;
      const ag = values[g]!.texts[left[g]![a]!]!;
      const bg = values[g]!.texts[right[g]![b]!]!;
      if (af.charCodeAt(0) !== bg.charCodeAt(0) || ag.charCodeAt(0) !== bf.charCodeAt(0)) continue;
      if (values[f]!.compare(af, bg) < CROSSED_LIKENESS || values[g]!.compare(ag, bf) < CROSSED_LIKENESS) continue;
      for (const h of [f, g]) {
        alike[h] = CROSSED;
        level[h] = crossedLevel(values[h]!);
      }
      found = true;
    }
    return found;
  }

  /** What the frequency of the values adds to a field's weight (Newcombe et al., 1959; Winkler, 1989). */
  rarity(f: number, level: number, a: number, b: number): number {
    if (level > 2) return 0;
    const counts = this.frequencies.counts[f]!;
    const usual = this.frequencies.usual[f]!;
    const x = this.leftColumns[f]![a]!;
    const y = this.rightColumns[f]![b]!;
    const others = Math.max(counts[x] ?? 0, counts[y] ?? 0) - (this.within && x === y ? 2 : 1);
    const bits = Math.log2(usual / (Math.max(0, others) + Math.min(1, usual)));
    // A rare value that is nearly met says half as much; a common one must not say more than met.
    return level === 0 || bits < 0 ? bits : bits * 0.5;
  }
}
