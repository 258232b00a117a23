import { MISSING } from "../model/density.ts";
import { haveOtherNumbers } from "../other-numbers.ts";
import { EQUAL, type Likeness } from "./likeness.ts";
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

/** The records of each value of a field: where they begin, and the records in the order of their values. */
export interface ByValue {
  readonly starts: Int32Array;
  readonly list: Int32Array;
}

/** Values in each other's fields are as alike as this. */
const CROSSED_LIKENESS = 0.86;

/** Pairs of records of two stretches, compared field by field; `alike` and `level` hold the pair that was compared last. */
export class RecordPairs {
  readonly alike: Uint8Array;
  readonly level: Uint8Array;
  /** Whether both are the same records. */
  readonly within: boolean;
  private ofValues: readonly ByValue[] | null = null;
  private readonly leftColumns: readonly Int32Array[];
  private readonly rightColumns: readonly Int32Array[];
  /** By field: one more than the other one in which its value stands, or 0. */
  private readonly crossedWith: Uint8Array;
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
    this.crossedWith = new Uint8Array(values.length);
    this.leftColumns = values.map((_, f) => left.table.column(f));
    this.rightColumns = values.map((_, f) => right.table.column(f));
    this.crossing = values.flatMap((v, f) =>
      values.flatMap((w, g) => (f < g && v.textual && w.textual ? [[f, g] as const] : [])),
    );
  }

  /** Values that stand in each other's fields count as if they stood in their own: that they were written so is as likely where two things are not the same. */
  private put(f: number, likeness: number, other: number): void {
    const byte = (this.alike[f] = Math.min(EQUAL, Math.round(EQUAL * likeness)));
    this.level[f] = this.levels[f]![byte]!;
    this.crossedWith[f] = other + 1;
  }

  /** By field the records of the right side by their values. */
  byValue(): readonly ByValue[] {
    return (this.ofValues ??= this.values.map((values, f) => {
      const { from, to } = this.right;
      const starts = new Int32Array(values.texts.length + 1);
      const column = this.rightColumns[f]!;
      for (let r = from; r < to; r++) starts[column[r]! + 1]!++;
      for (let v = 1; v < starts.length; v++) starts[v]! += starts[v - 1]!;
      const next = starts.slice();
      const list = new Int32Array(to - from);
      for (let r = from; r < to; r++) list[next[column[r]!]!++] = r;
      return { starts, list };
    }));
  }

  /** The level of one field; its likeness and level are kept. */
  compareField(f: number, a: number, b: number): number {
    this.crossedWith[f] = 0;
    const byte = (this.alike[f] = this.likeness[f]!.of(this.leftColumns[f]![a]!, this.rightColumns[f]![b]!));
    return (this.level[f] = this.levels[f]![byte]!);
  }

  compare(a: number, b: number): void {
    for (let f = 0; f < this.values.length; f++) this.compareField(f, a, b);
    this.cross(a, b);
  }

  /** Whether values may stand in each other's fields, by how they begin. */
  mayCross(a: number, b: number): boolean {
    for (let c = 0; c < this.crossing.length; c++) {
      const [f, g] = this.crossing[c]!;
      if (this.beginsCrossed(f, g, a, b)) return true;
    }
    return false;
  }

  private beginsCrossed(f: number, g: number, a: number, b: number): boolean {
    const { values, leftColumns: left, rightColumns: right } = this;
    // What begins otherwise is another word. A missing value begins with nothing, and is none.
    const [af, bg] = [values[f]!.texts[left[f]![a]!]!, values[g]!.texts[right[g]![b]!]!];
    if (af === "" || bg === "" || af.charCodeAt(0) !== bg.charCodeAt(0)) return false;
    const [ag, bf] = [values[g]!.texts[left[g]![a]!]!, values[f]!.texts[right[f]![b]!]!];
    return ag !== "" && bf !== "" && ag.charCodeAt(0) === bf.charCodeAt(0);
  }

  /** Looks for values that stand in each other's fields, once all fields are compared; says whether there are any. */
  cross(a: number, b: number): boolean {
    let found = false;
    const { level, values, leftColumns: left, rightColumns: right } = this;
    for (const [f, g] of this.crossing) {
      if (level[f]! < 4 || level[g]! < 4 || level[f] === MISSING || level[g] === MISSING) continue;
      if (!this.beginsCrossed(f, g, a, b)) continue;
      const af = values[f]!.texts[left[f]![a]!]!;
      const bf = values[f]!.texts[right[f]![b]!]!;
      const ag = values[g]!.texts[left[g]![a]!]!;
      const bg = values[g]!.texts[right[g]![b]!]!;
      // One value of the one record with the one that it would be, and the other with the other.
      const [likeF, likeG] = [values[f]!.compare(af, bg), values[g]!.compare(ag, bf)];
      if (likeF < CROSSED_LIKENESS || likeG < CROSSED_LIKENESS) continue;
      this.put(f, likeF, g);
      this.put(g, likeG, f);
      found = true;
    }
    return found;
  }

  /** Whether the values of a field have other numbers. */
  otherNumbers(f: number, a: number, b: number): boolean {
    const { texts } = this.values[f]!;
    return haveOtherNumbers(texts[this.leftColumns[f]![a]!]!, texts[this.rightColumns[f]![b]!]!);
  }

  /** What the frequency of the values adds to a field's weight (Newcombe et al., 1959; Winkler, 1989). */
  rarity(f: number, level: number, a: number, b: number): number {
    if (level > 2) return 0;
    const usual = this.frequencies.usual[f]!;
    const x = this.leftColumns[f]![a]!;
    const g = this.crossedWith[f]! > 0 ? this.crossedWith[f]! - 1 : f;
    const y = this.rightColumns[g]![b]!;
    const often = Math.max(this.frequencies.counts[f]![x] ?? 0, this.frequencies.counts[g]![y] ?? 0);
    const others = often - (this.within && g === f && x === y ? 2 : 1);
    const bits = Math.log2(usual / (Math.max(0, others) + Math.min(1, usual)));
    // A rare value that is nearly met says half as much; a common one must not say more than met.
    return level === 0 || bits < 0 ? bits : bits * 0.5;
  }
}
