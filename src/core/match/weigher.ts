import { MISSING } from "./model/density.ts";
import { Judge } from "./model/judge.ts";
import type { PairModel } from "./model/model.ts";
import type { RecordPairs } from "./pairs/record-pairs.ts";
import type { Values } from "./pairs/table.ts";

/** Weighs pairs of records by a model, no longer than a pair has a chance. */
export class Weigher {
  private readonly judge: Judge;
  /** The fields in the order in which they are compared. */
  private readonly order: readonly number[];
  /** By place in the order: by how much the fields after it can make a pair likelier at most. */
  private readonly rest: readonly number[];
  /** The rarities of the pair at hand, and what its fields say. */
  private readonly rarity: Float32Array;
  private readonly share: Float32Array;

  constructor(
    private readonly values: readonly Values[],
    private readonly pairs: RecordPairs,
    private readonly model: PairModel,
  ) {
    const judge = (this.judge = new Judge(values, model));
    this.rarity = new Float32Array(values.length);
    this.share = new Float32Array(values.length);
    // Dates, codes and numbers first: they are quick to compare and say much; then texts of which there are few, whose
    // likeness is remembered.
    this.order = values
      .map((_, f) => f)
      .sort(
        (f, g) =>
          Number(values[f]!.textual) - Number(values[g]!.textual) ||
          (values[f]!.textual ? values[f]!.texts.length - values[g]!.texts.length : 0) ||
          f - g,
      );
    const { usual } = pairs.frequencies;
    const most = (f: number): number =>
      judge.most[f]! + Math.max(0, Math.log2(Math.max(1, usual[f] ?? 1))) - judge.least[f]!;
    this.rest = this.order.map((_, i) => this.order.slice(i + 1).reduce((n, f) => n + most(f), 0));
  }

  /** Which source a pair is of. */
  private sourceOf(b: number): number {
    const { start } = this.model;
    return start > 0 && b >= start ? 1 : 0;
  }

  /** The bits of a pair, -Infinity below `least`. */
  weigh(a: number, b: number, least = -Infinity): number {
    const { order, rest, rarity, pairs, judge } = this;
    const source = this.sourceOf(b);
    let at = judge.before(source);
    const mayCross = pairs.mayCross(a, b);
    for (let i = 0; i < order.length; i++) {
      const f = order[i]!;
      const level = pairs.compareField(f, a, b);
      rarity[f] = level === MISSING ? 0 : pairs.rarity(f, level, a, b);
      // Words may yet be found in each other's fields; what other fields say stands.
      if (level === MISSING || (mayCross && this.values[f]!.textual)) continue;
      at += judge.sameAtMost(f, pairs.alike[f]!) + Math.max(0, rarity[f]!) - judge.least[f]!;
      if (at + rest[i]! < least) return -Infinity;
    }
    if (mayCross && pairs.cross(a, b)) {
      for (let f = 0; f < order.length; f++) {
        const level = pairs.level[f]!;
        rarity[f] = level === MISSING ? 0 : pairs.rarity(f, level, a, b);
      }
    }
    return judge.bits(source, pairs.alike, pairs.level, rarity, 0);
  }

  /** What each field says of the pair that was weighed last; the list is used again. */
  shares(): Float32Array {
    const { alike, level } = this.pairs;
    this.judge.shares(alike, level, this.rarity, 0, this.share);
    return this.share;
  }

  /** The evidence of one pair. */
  explain(a: number, b: number): { bits: number; levels: number[]; shares: number[] } {
    const bits = this.weigh(a, b);
    return { bits, shares: [...this.shares()], levels: [...this.pairs.level] };
  }
}
