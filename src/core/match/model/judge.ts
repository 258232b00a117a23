import { MISSING, type KindField } from "./density.ts";
import { LEVELS, restBitsOf, tablesOf } from "./tables.ts";
import { hanging, isSame, type Densities } from "./kinds.ts";
import { curveOf } from "../pairs/likeness.ts";
import type { Values } from "../pairs/table.ts";
import type { RestDensity } from "./tree.ts";

/** Likenesses that there are, as a byte. */
const BYTES = 256;
/** Of two sums of which one is by so many bits less than the other it adds nothing that a number of 53 bits can hold. */
const NOTHING = -54;

/** The binary logarithm of a sum, of two binary logarithms. */
function logSum(a: number, b: number): number {
  const [more, less] = a > b ? [a, b] : [b, a];
  return less - more < NOTHING || less === -Infinity ? more : more + Math.log2(1 + 2 ** (less - more));
}

/** Says of pairs by how many bits they are likelier to be the same than not. */
export class Judge {
  private readonly many: number;
  private readonly width: number;
  /** By kind: 1 where its pairs are the same. */
  private readonly same: Uint8Array;
  /** By source and kind: bits for the kind before anything is compared. */
  private readonly odds: Float64Array;
  /** By kind, field and likeness: bits for the kind, against pairs taken at random. */
  private readonly curves: Float32Array;
  /** By field, level and kind: how much the value's being rare adds to them. */
  private readonly common: Float64Array;
  /** By source: bits for pairs that have nothing to do with each other. */
  private readonly left: Float64Array;
  private readonly rest: RestDensity;
  private readonly restBits: (levels: Uint8Array, rarity: Float32Array, at: number) => number;
  private readonly hangs: Uint8Array;
  /** The kind of same pairs that was likeliest for the last pair, and of the others, or -1 for the rest. */
  private best = 0;
  private against = -1;
  /** By field and likeness, the most that same pairs may gain by it; and the least that the rest may. */
  readonly most: readonly number[];
  readonly least: readonly number[];

  constructor(values: readonly Values[], { kinds, rest }: Densities) {
    const [width, many] = [values.length, kinds.length];
    [this.width, this.many] = [width, many];
    this.same = Uint8Array.from(kinds, ({ name }) => Number(isSame(name)));
    const sources = kinds[0]?.prior.length ?? 1;
    this.odds = Float64Array.from({ length: sources * many }, (_, i) =>
      Math.log2(kinds[i % many]!.prior[Math.floor(i / many)]!),
    );
    this.curves = new Float32Array(many * width * BYTES);
    kinds.forEach(({ fields }, k) =>
      values.forEach((v, f) => this.curves.set(curveOf(v, fields[f]!.weights), (k * width + f) * BYTES)),
    );
    this.common = tablesOf(kinds.map((k) => k.fields)).common;
    this.left = Float64Array.from({ length: sources }, (_, s) =>
      Math.log2(1 - kinds.reduce((n, k) => n + k.prior[s]!, 0)),
    );
    this.rest = rest;
    this.restBits = restBitsOf(rest);
    this.hangs = hanging(rest);
    this.most = values.map((_, f) => {
      let most = 0;
      for (let byte = 0; byte < BYTES; byte++) most = Math.max(most, this.sameAtMost(f, byte));
      return most;
    });
    const leastOf = (field: KindField): number => Math.min(0, ...field.weights);
    this.least = rest.fields.map((field, f) => {
      const edge = rest.edges.find((e) => e.field === f);
      return edge ? Math.min(leastOf(field), ...edge.by.map(leastOf)) : leastOf(field);
    });
  }

  /** The least bits before anything is compared, from which pairs of a source begin. */
  before(source: number): number {
    let same = -Infinity;
    for (let k = 0; k < this.many; k++) if (this.same[k] === 1) same = logSum(same, this.odds[source * this.many + k]!);
    return same - this.left[source]!;
  }

  /** By how many bits a likeness of a field speaks for the same at most. */
  sameAtMost(f: number, byte: number): number {
    const { many, width, same, curves } = this;
    let most = -Infinity;
    for (let k = 0; k < many; k++) {
      if (same[k] === 1) most = Math.max(most, curves[(k * width + f) * BYTES + byte]!);
    }
    return most;
  }

  /** The bits of a pair, its likenesses, levels and rarities standing in lists from a place on. */
  bits(source: number, alike: Uint8Array, level: Uint8Array, rarity: Float32Array, at: number): number {
    const { many, width, curves, common, odds } = this;
    let same = -Infinity;
    let other = this.left[source]! + this.restBits(level, rarity, at);
    let bestSame = -Infinity;
    let bestOther = other;
    this.against = -1;
    for (let k = 0; k < many; k++) {
      let sum = odds[source * many + k]!;
      const curve = k * width * BYTES;
      for (let f = 0; f < width; f++) {
        const l = level[at + f]!;
        if (l === MISSING) continue;
        sum += curves[curve + f * BYTES + alike[at + f]!]! + common[(f * LEVELS + l) * many + k]! * rarity[at + f]!;
      }
      if (this.same[k] === 1) {
        same = logSum(same, sum);
        if (sum > bestSame) {
          bestSame = sum;
          this.best = k;
        }
      } else {
        other = logSum(other, sum);
        if (sum > bestOther) {
          bestOther = sum;
          this.against = k;
        }
      }
    }
    return same - other;
  }

  /** What each field says of the pair that was judged last, in bits for its being the same. */
  shares(alike: Uint8Array, level: Uint8Array, rarity: Float32Array, at: number, into: Float32Array): void {
    const { width, best, against } = this;
    for (let f = 0; f < width; f++) {
      const l = level[at + f]!;
      into[f] = l === MISSING ? 0 : this.said(best, f, alike[at + f]!, l, rarity[at + f]!);
      if (against >= 0 && l !== MISSING) into[f]! -= this.said(against, f, alike[at + f]!, l, rarity[at + f]!);
    }
    if (against < 0) this.takeRest(level, rarity, at, into);
  }

  /** What a likeness of a field says for a kind. */
  private said(k: number, f: number, byte: number, level: number, rarity: number): number {
    const { many, width, curves, common } = this;
    return curves[(k * width + f) * BYTES + byte]! + common[(f * LEVELS + level) * many + k]! * rarity;
  }

  /** Takes what each field says for a pair's having nothing to do with each other. */
  private takeRest(level: Uint8Array, rarity: Float32Array, at: number, share: Float32Array): void {
    const { fields, edges } = this.rest;
    const take = (f: number, { weights, common }: KindField): void => {
      share[f]! -= weights[level[at + f]!]! + common[level[at + f]!]! * rarity[at + f]!;
    };
    fields.forEach((field, f) => {
      if (level[at + f] !== MISSING && this.hangs[f] === 0) take(f, field);
    });
    for (const { field, parent, by } of edges) {
      if (level[at + field] === MISSING) continue;
      const k = level[at + parent]!;
      take(field, k === MISSING ? fields[field]! : by[k]!);
    }
  }
}
