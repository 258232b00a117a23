import { looseField, MISSING, sharesOf, type KindField } from "./density.ts";
import type { Patterns } from "./patterns.ts";

/** How a field of pairs that have nothing to do with each other hangs on another one: by the other's level, what its levels are like. */
export interface TreeEdge {
  readonly field: number;
  readonly parent: number;
  readonly by: readonly KindField[];
}

/** What pairs that have nothing to do with each other are like: each field by itself, and those that hang on another. */
export interface RestDensity {
  readonly fields: readonly KindField[];
  readonly edges: readonly TreeEdge[];
}

/** Two fields hang together where values in common come together by so many bits more often than by chance. */
const LEAST_LIFT = 1;
/** So many pairs' worth of the field by itself is put to what is known of it beside each level of the other. */
const SMOOTHING = 5;
/** No level is taken for rarer than this beside the other field, nor for less likely than this many bits. */
const LEAST_BITS = -2;

/** Weighted counts of pairs: by field and level, by two fields and their levels, and the squares of the weights for how many pairs they are worth. */
export class LevelCounts {
  readonly single: Float64Array[];
  private readonly both: (Float64Array | null)[];
  private readonly squares: Float64Array[];
  /** The fields that are counted two by two, and the tables of their levels. */
  private readonly first: Uint8Array;
  private readonly second: Uint8Array;
  private readonly tables: readonly Float64Array[];

  /** @param edges of which fields two are counted together; all where left out */
  constructor(
    readonly widths: readonly number[],
    edges?: readonly TreeEdge[],
  ) {
    this.single = widths.map((n) => new Float64Array(n));
    this.squares = widths.map((n) => new Float64Array(n));
    const wanted =
      edges && new Set(edges.map((e) => Math.min(e.field, e.parent) * widths.length + Math.max(e.field, e.parent)));
    this.both = widths.flatMap((n, f) =>
      widths.map((m, g) => (f < g && (!wanted || wanted.has(f * widths.length + g)) ? new Float64Array(n * m) : null)),
    );
    const couples = this.both.flatMap((table, i) =>
      table ? [{ table, f: Math.floor(i / widths.length), g: i % widths.length }] : [],
    );
    this.tables = couples.map((c) => c.table);
    this.first = Uint8Array.from(couples, (c) => c.f);
    this.second = Uint8Array.from(couples, (c) => c.g);
  }

  /** Adds pairs by their patterns, each by its weight times what is left of it. */
  add({ count, levels, weight, squares: square }: Patterns, left: (pattern: number) => number): void {
    const width = this.widths.length;
    const { single, squares, widths, first, second, tables } = this;
    for (let p = 0; p < count; p++) {
      const share = left(p);
      if (share === 0) continue;
      const w = weight[p]! * share;
      const at = p * width;
      for (let f = 0; f < width; f++) {
        const l = levels[at + f]!;
        if (l === MISSING) continue;
        single[f]![l]! += w;
        squares[f]![l]! += square[p]! * share;
      }
      for (let c = 0; c < tables.length; c++) {
        const l = levels[at + first[c]!]!;
        if (l === MISSING) continue;
        const g = second[c]!;
        const m = levels[at + g]!;
        if (m !== MISSING) tables[c]![l * widths[g]! + m]! += w;
      }
    }
  }

  /** What is left when other counts are taken away, of what the other has counted. */
  without(other: LevelCounts): LevelCounts {
    const left = new LevelCounts(this.widths);
    const less = (into: Float64Array, a: Float64Array, b: Float64Array): void => {
      for (let i = 0; i < a.length; i++) into[i] = Math.max(0, a[i]! - b[i]!);
    };
    this.single.forEach((a, f) => less(left.single[f]!, a, other.single[f]!));
    this.squares.forEach((a, f) => less(left.squares[f]!, a, other.squares[f]!));
    this.both.forEach((a, i) => a && other.both[i] && less(left.both[i]!, a, other.both[i]));
    return left;
  }

  /** The count of a level of one field beside a level of another. */
  beside(f: number, l: number, g: number, m: number): number {
    const width = this.widths.length;
    return f < g
      ? this.both[f * width + g]![l * this.widths[g]! + m]!
      : this.both[g * width + f]![m * this.widths[f]! + l]!;
  }

  /** The mean weight of the pairs of a level. */
  meanWeight(f: number, l: number): number {
    const n = this.single[f]![l]!;
    return n > 0 ? this.squares[f]![l]! / n : 0;
  }
}

/** How much two fields say of each other, in bits (mutual information), and by how many bits common values come together. */
function between(counts: LevelCounts, f: number, g: number): { information: number; lift: number } {
  const [n, m] = [counts.widths[f]!, counts.widths[g]!];
  const rows = new Float64Array(n);
  const columns = new Float64Array(m);
  let all = 0;
  for (let l = 0; l < n; l++) {
    for (let k = 0; k < m; k++) {
      const c = counts.beside(f, l, g, k);
      rows[l]! += c;
      columns[k]! += c;
      all += c;
    }
  }
  let information = 0;
  for (let l = 0; l < n; l++) {
    for (let k = 0; k < m; k++) {
      const c = counts.beside(f, l, g, k);
      if (c > 0) information += (c / all) * Math.log2((c * all) / (rows[l]! * columns[k]!));
    }
  }
  const common = counts.beside(f, 0, g, 0);
  const lift = common > 0 ? Math.log2((common * all) / (rows[0]! * columns[0]!)) : 0;
  return { information, lift };
}

/**
 * What pairs are like from their counts, each field hanging on one other at most: the tree that says
 * most about them (Chow and Liu, 1968). `u`: shares of pairs taken at random, by field and level;
 * `known`: the tree where it was built before.
 */
export function restDensity(
  counts: LevelCounts,
  u: readonly (readonly number[])[],
  withTree: boolean,
  known: readonly TreeEdge[] | null,
): RestDensity {
  const width = u.length;
  const shares = u.map((random, f) => {
    // A level that never came is given half a pair, so that no weight is without bound.
    const seen = random.map((_, l) => counts.single[f]![l]! + 0.5 * Math.max(1, counts.meanWeight(f, l)));
    return sharesOf(seen);
  });
  const fields = shares.map((s, f) => looseField(s, u[f]!));
  const edges: TreeEdge[] = [];
  if (!withTree) return { fields, edges };
  if (known) {
    for (const { field, parent } of known)
      edges.push({ field, parent, by: conditional(counts, field, parent, shares[field]!, u[field]!) });
    return { fields, edges };
  }
  // The strongest first, as long as they close no circle (Kruskal, 1956).
  const possible: { f: number; g: number; information: number }[] = [];
  for (let f = 0; f < width; f++) {
    for (let g = f + 1; g < width; g++) {
      const { information, lift } = between(counts, f, g);
      if (lift > LEAST_LIFT) possible.push({ f, g, information });
    }
  }
  possible.sort((x, y) => y.information - x.information);
  const root = Array.from({ length: width }, (_, f) => f);
  const find = (f: number): number => (root[f] === f ? f : (root[f] = find(root[f]!)));
  const beside: number[][] = Array.from({ length: width }, () => []);
  for (const { f, g } of possible) {
    if (find(f) === find(g)) continue;
    root[find(f)] = find(g);
    beside[f]!.push(g);
    beside[g]!.push(f);
  }
  // Every tree grows from its field whose values are the rarest in common.
  const seen = new Set<number>();
  const order = [...u.keys()].sort((f, g) => u[f]![0]! - u[g]![0]!);
  for (const start of order) {
    if (seen.has(start)) continue;
    const open = [start];
    seen.add(start);
    while (open.length > 0) {
      const parent = open.shift()!;
      for (const field of beside[parent]!) {
        if (seen.has(field)) continue;
        seen.add(field);
        open.push(field);
        edges.push({ field, parent, by: conditional(counts, field, parent, shares[field]!, u[field]!) });
      }
    }
  }
  return { fields, edges };
}

function conditional(
  counts: LevelCounts,
  field: number,
  parent: number,
  shares: readonly number[],
  u: readonly number[],
): KindField[] {
  return Array.from({ length: counts.widths[parent]! }, (_, k) => {
    const smooth = SMOOTHING * Math.max(1, counts.meanWeight(parent, k));
    const seen = shares.map((_, l) => counts.beside(field, l, parent, k));
    const all = seen.reduce((a, b) => a + b, 0) + smooth;
    const given = seen.map((n, l) => (n + smooth * shares[l]!) / all);
    const { weights, ...rest } = looseField(given, u);
    return { ...rest, weights: weights.map((w) => Math.max(LEAST_BITS, w)) };
  });
}
