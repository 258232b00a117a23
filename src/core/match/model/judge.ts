import { MISSING, type KindField } from "./density.ts";
import { hanging } from "./estimate.ts";
import { isSame, type Densities } from "./kinds.ts";
import { curveOf } from "../pairs/likeness.ts";
import type { Values } from "../pairs/table.ts";
import type { RestDensity } from "./tree.ts";

/** A kind of pairs, ready to be judged by. */
interface Judged {
  readonly same: boolean;
  /** By source: bits for the kind before anything is compared. */
  readonly odds: readonly number[];
  /** By field and likeness: bits for the kind, against pairs taken at random. */
  readonly curves: readonly Float32Array[];
  /** By field and level: how much the value's being rare adds to them. */
  readonly common: readonly (readonly number[])[];
}

/** The binary logarithm of a sum, of two binary logarithms. */
function logSum(a: number, b: number): number {
  const [more, less] = a > b ? [a, b] : [b, a];
  return less === -Infinity ? more : more + Math.log2(1 + 2 ** (less - more));
}

/** Says of pairs by how many bits they are likelier to be the same than not. */
export class Judge {
  private readonly kinds: readonly Judged[];
  /** By source: bits for pairs that have nothing to do with each other. */
  private readonly left: readonly number[];
  private readonly rest: RestDensity;
  private readonly hangs: Uint8Array;
  /** The kind of same pairs that was likeliest for the last pair, and of the others, or -1 for the rest. */
  private best = 0;
  private against = -1;
  /** By field and likeness, the most that same pairs may gain by it; and the least that the rest may. */
  readonly most: readonly number[];
  readonly least: readonly number[];

  constructor(values: readonly Values[], { kinds, rest }: Densities) {
    this.kinds = kinds.map(({ name, prior, fields }) => ({
      same: isSame(name),
      odds: prior.map((x) => Math.log2(x)),
      curves: values.map((v, f) => curveOf(v, fields[f]!.weights)),
      common: fields.map((f) => f.common),
    }));
    const sources = kinds[0]?.prior.length ?? 1;
    this.left = Array.from({ length: sources }, (_, s) => Math.log2(1 - kinds.reduce((n, k) => n + k.prior[s]!, 0)));
    this.rest = rest;
    this.hangs = hanging(rest);
    this.most = values.map((_, f) =>
      Math.max(0, ...this.kinds.flatMap((k) => (k.same ? [Math.max(...k.curves[f]!)] : []))),
    );
    const leastOf = (field: KindField): number => Math.min(0, ...field.weights);
    this.least = rest.fields.map((field, f) => {
      const edge = rest.edges.find((e) => e.field === f);
      return edge ? Math.min(leastOf(field), ...edge.by.map(leastOf)) : leastOf(field);
    });
  }

  /** The least bits before anything is compared, from which pairs of a source begin. */
  before(source: number): number {
    return this.kinds.reduce((n, k) => (k.same ? logSum(n, k.odds[source]!) : n), -Infinity) - this.left[source]!;
  }

  /** By how many bits a likeness of a field speaks for the same at most. */
  sameAtMost(f: number, byte: number): number {
    let most = -Infinity;
    for (const kind of this.kinds) if (kind.same) most = Math.max(most, kind.curves[f]![byte]!);
    return most;
  }

  /** The bits of a pair for having nothing to do with each other, field by field into `share` if it is given. */
  private restBits(level: Uint8Array, rarity: Float32Array, at: number, share: Float32Array | null): number {
    const { fields, edges } = this.rest;
    let sum = 0;
    for (let f = 0; f < fields.length; f++) {
      const l = level[at + f]!;
      if (l === MISSING || this.hangs[f] === 1) continue;
      const bits = fields[f]!.weights[l]! + fields[f]!.common[l]! * rarity[at + f]!;
      sum += bits;
      if (share) share[f]! -= bits;
    }
    for (const { field, parent, by } of edges) {
      const l = level[at + field]!;
      if (l === MISSING) continue;
      const k = level[at + parent]!;
      const given = k === MISSING ? fields[field]! : by[k]!;
      const bits = given.weights[l]! + given.common[l]! * rarity[at + field]!;
      sum += bits;
      if (share) share[field]! -= bits;
    }
    return sum;
  }

  /** The bits of a pair, its likenesses, levels and rarities standing in lists from a place on. */
  bits(source: number, alike: Uint8Array, level: Uint8Array, rarity: Float32Array, at: number): number {
    const { kinds } = this;
    const width = this.hangs.length;
    let same = -Infinity;
    let other = this.left[source]! + this.restBits(level, rarity, at, null);
    let [bestSame, bestOther] = [-Infinity, other];
    this.against = -1;
    for (let k = 0; k < kinds.length; k++) {
      const kind = kinds[k]!;
      let sum = kind.odds[source]!;
      for (let f = 0; f < width; f++) {
        const l = level[at + f]!;
        if (l !== MISSING) sum += kind.curves[f]![alike[at + f]!]! + kind.common[f]![l]! * rarity[at + f]!;
      }
      if (kind.same) {
        same = logSum(same, sum);
        if (sum > bestSame) [bestSame, this.best] = [sum, k];
      } else {
        other = logSum(other, sum);
        if (sum > bestOther) [bestOther, this.against] = [sum, k];
      }
    }
    return same - other;
  }

  /** What each field says of the pair that was judged last, in bits for its being the same. */
  shares(alike: Uint8Array, level: Uint8Array, rarity: Float32Array, at: number, into: Float32Array): void {
    const width = this.hangs.length;
    const best = this.kinds[this.best]!;
    const against = this.against < 0 ? null : this.kinds[this.against]!;
    for (let f = 0; f < width; f++) {
      const l = level[at + f]!;
      into[f] = 0;
      if (l === MISSING) continue;
      const byte = alike[at + f]!;
      into[f] = best.curves[f]![byte]! + best.common[f]![l]! * rarity[at + f]!;
      if (against) into[f]! -= against.curves[f]![byte]! + against.common[f]![l]! * rarity[at + f]!;
    }
    if (!against) this.restBits(level, rarity, at, into);
  }
}
