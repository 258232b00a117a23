import { CandidateIndex, type IndexRows } from "./candidates.ts";
import {
  MISSING,
  crossedLevel,
  estimate,
  levelCount,
  randomShares,
  bitsOf,
  type MatchModel,
  type Sample,
} from "./model.ts";
import type { MatchField, MatchLimits } from "./schema.ts";
import { MatchTable, Values, type SharedNumbers, type SharedValues } from "./table.ts";

/** Where a score falls. */
export const BANDS = ["same", "ask", "different"] as const;
export type Band = (typeof BANDS)[number];

/** How many of a record's candidates are compared field by field; by few fields they are chosen with more care. */
const candidatesFor = (fields: number): number => (fields > 2 ? 16 : 10);
/** The model is estimated from the candidates of so many records. */
const SAMPLE_RECORDS = { least: 800, most: 2_000 };
const RANDOM_PAIRS = { least: 25_000, most: 60_000 };
/** Pairs that score less are of no use to anybody, and not kept. */
const LEAST_SCORE = 20;

function between(n: number, { least, most }: { least: number; most: number }): number {
  return Math.round(Math.max(least, Math.min(most, n)));
}

const CACHE_BITS = 14;
const CACHE = 1 << CACHE_BITS;

/** Numbers from a seed, the same each time: a linear congruential generator (Knuth, 1981). */
function numbersFrom(seed: number): (below: number) => number {
  let state = seed >>> 0;
  return (below) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return Math.floor((state / 0x1_0000_0000) * below);
  };
}

/** Likeness as a byte: 250 is equal; and two that are no likeness. */
const EQUAL = 250;
const CROSSED = 254;
const NONE = 255;

/** The likeness of two values of a field, each pair compared once as long as it is remembered. */
class Likeness {
  private readonly as = new Int32Array(CACHE);
  private readonly bs = new Int32Array(CACHE);
  private readonly kept = new Uint8Array(CACHE);

  constructor(private readonly values: Values) {}

  of(a: number, b: number): number {
    if (a === 0 || b === 0) return NONE;
    if (a === b) return EQUAL;
    const at = (Math.imul(a, 0x9e3779b1) ^ Math.imul(b, 0x85ebca77)) >>> (32 - CACHE_BITS);
    if (this.as[at] === a && this.bs[at] === b) return this.kept[at]!;
    const { texts, compare } = this.values;
    const likeness = Math.min(EQUAL, Math.round(EQUAL * compare(texts[a]!, texts[b]!)));
    this.as[at] = a;
    this.bs[at] = b;
    this.kept[at] = likeness;
    return likeness;
  }
}

/** The level of each likeness of a field. */
function levelsOf(values: Values): Uint8Array {
  const { levels } = values;
  return Uint8Array.from({ length: 256 }, (_, likeness) => {
    if (likeness === NONE) return MISSING;
    if (likeness === CROSSED) return crossedLevel(values);
    if (likeness >= EQUAL) return 0;
    const at = levels.findIndex((least) => likeness / EQUAL >= least - 0.002);
    return at < 0 ? levels.length + 1 : at + 1;
  });
}

/** The weight of each likeness of a field: each level's at its middle, in a straight line between. */
function curveOf(values: Values, weights: readonly number[]): Float32Array {
  const edges = [1, ...values.levels, 0];
  const middles = edges.slice(1).map((edge, i) => (edge + edges[i]!) / 2);
  const last = values.levels.length + 1;
  return Float32Array.from({ length: 256 }, (_, byte) => {
    if (byte === NONE) return 0;
    if (byte === CROSSED) return weights[last + 1]!;
    if (byte >= EQUAL) return weights[0]!;
    const likeness = byte / EQUAL;
    const i = middles.findIndex((m) => likeness >= m);
    if (i === 0) return weights[1]!;
    if (i < 0) return weights[last]!;
    const share = (likeness - middles[i]!) / (middles[i - 1]! - middles[i]!);
    return weights[i + 1]! + share * (weights[i]! - weights[i + 1]!);
  });
}

/** Pairs that may be one, each with its evidence. `a` is a record of the incoming table, `b` of the known one. */
export interface Pairs {
  readonly count: number;
  readonly a: Int32Array;
  readonly b: Int32Array;
  readonly bits: Float32Array;
  /** Per pair and field: bits of evidence for (more than 0) and against. */
  readonly shares: Float32Array;
}

/** Pairs of several searches, one after the other; `width`: how many fields are compared. */
export function concatPairs(parts: readonly Pairs[], width: number): Pairs {
  const count = parts.reduce((n, p) => n + p.count, 0);
  const all = {
    count,
    a: new Int32Array(count),
    b: new Int32Array(count),
    bits: new Float32Array(count),
    shares: new Float32Array(count * width),
  };
  let at = 0;
  for (const p of parts) {
    all.a.set(p.a.subarray(0, p.count), at);
    all.b.set(p.b.subarray(0, p.count), at);
    all.bits.set(p.bits.subarray(0, p.count), at);
    all.shares.set(p.shares.subarray(0, p.count * width), at * width);
    at += p.count;
  }
  return all;
}

class PairList {
  count = 0;
  a = new Int32Array(1024);
  b = new Int32Array(1024);
  bits = new Float32Array(1024);
  shares: Float32Array;

  constructor(private readonly fields: number) {
    this.shares = new Float32Array(1024 * fields);
  }

  add(a: number, b: number, bits: number, shares: Float32Array): void {
    if (this.count === this.a.length) this.grow();
    const i = this.count++;
    this.a[i] = a;
    this.b[i] = b;
    this.bits[i] = bits;
    this.shares.set(shares, i * this.fields);
  }

  private grow(): void {
    const twice = <T extends Int32Array | Float32Array>(list: T): T => {
      const grown = new (list.constructor as new (n: number) => T)(list.length * 2);
      grown.set(list);
      return grown;
    };
    this.a = twice(this.a);
    this.b = twice(this.b);
    this.bits = twice(this.bits);
    this.shares = twice(this.shares);
  }
}

/** A kind of pairs, ready to be judged by. */
interface Judged {
  readonly same: boolean;
  /** Bits for the kind before anything is compared. */
  readonly odds: number;
  /** By field and likeness: bits for the kind, against random pairs. */
  readonly curves: readonly Float32Array[];
  /** By field and level: how much the value's being rare adds to them. */
  readonly common: readonly (readonly number[])[];
}

/**
 * Compares records: those of a delivery with one another, or with known ones. Records are added
 * first; then the model is estimated, unless one is given; then pairs are found.
 */
export class Matcher {
  readonly values: readonly Values[];
  readonly incoming: MatchTable;
  /** The same table as `incoming` where records are compared with one another. */
  readonly known: MatchTable;
  private index: CandidateIndex | null = null;
  /** The columns of both tables, as they are when all records are there. */
  private left: readonly Int32Array[] = [];
  private right: readonly Int32Array[] = [];
  private readonly likeness: readonly Likeness[];
  /** By field and likeness: its level, and its weight. */
  private readonly levels: readonly Uint8Array[];
  private curves: readonly Float32Array[] = [];
  private odds = 0;
  /** All kinds of pairs but random ones, where there are more than the same. */
  private kinds: readonly Judged[] = [];
  private order: readonly number[] = [];
  private rest: readonly number[] = [];
  private frequencies: Int32Array[] = [];
  /** By field: how many records share the value of one taken at random. */
  private commonness: number[] = [];
  model: MatchModel | null = null;
  /** The likenesses of the pair at hand, its levels, and what they say. */
  private readonly alike: Uint8Array;
  private readonly level: Uint8Array;
  private readonly share: Float32Array;
  private readonly crossing: readonly (readonly [number, number])[];

  constructor(
    readonly fields: readonly MatchField[],
    options: { among: boolean },
  ) {
    this.values = fields.map((f, i) => new Values(f, i));
    this.incoming = new MatchTable(this.values);
    this.known = options.among ? this.incoming : new MatchTable(this.values);
    this.likeness = this.values.map((v) => new Likeness(v));
    this.levels = this.values.map(levelsOf);
    this.alike = new Uint8Array(fields.length);
    this.level = new Uint8Array(fields.length);
    this.share = new Float32Array(fields.length);
    this.crossing = this.values.flatMap((v, f) =>
      this.values.flatMap((w, g) => (f < g && v.textual && w.textual ? [[f, g] as const] : [])),
    );
  }

  /** Whether records are compared with one another. */
  get among(): boolean {
    return this.known === this.incoming;
  }

  /** The levels of a pair's fields, in `level`. */
  private compare(a: number, b: number): void {
    const { alike, level, levels, likeness } = this;
    for (let f = 0; f < levels.length; f++) {
      alike[f] = likeness[f]!.of(this.left[f]![a]!, this.right[f]![b]!);
      level[f] = levels[f]![alike[f]!]!;
    }
    this.cross(a, b);
  }

  /** Values that stand in each other's fields. */
  private cross(a: number, b: number): void {
    const { alike, level, values, left, right } = this;
    for (const [f, g] of this.crossing) {
      if (level[f]! < 4 || level[g]! < 4 || level[f] === MISSING || level[g] === MISSING) continue;
      const af = values[f]!.texts[left[f]![a]!]!;
      const bf = values[f]!.texts[right[f]![b]!]!;
      const ag = values[g]!.texts[left[g]![a]!]!;
      const bg = values[g]!.texts[right[g]![b]!]!;
      if (af.charCodeAt(0) !== bg.charCodeAt(0) || ag.charCodeAt(0) !== bf.charCodeAt(0)) continue;
      if (values[f]!.compare(af, bg) < 0.86 || values[g]!.compare(ag, bf) < 0.86) continue;
      for (const h of [f, g]) {
        alike[h] = CROSSED;
        level[h] = crossedLevel(values[h]!);
      }
    }
  }

  /** What the frequency of the values adds to a field's weight (Newcombe et al., 1959; Winkler, 1989). */
  private rarity(f: number, level: number, a: number, b: number): number {
    if (level > 2) return 0;
    const counts = this.frequencies[f]!;
    const usual = this.commonness[f]!;
    const x = this.left[f]![a]!;
    const y = this.right[f]![b]!;
    const others = Math.max(counts[x] ?? 0, counts[y] ?? 0) - (this.among && x === y ? 2 : 1);
    const bits = Math.log2(usual / (Math.max(0, others) + Math.min(1, usual)));
    // A rare value that is nearly met says half as much; a common one must not say more than met.
    return level === 0 || bits < 0 ? bits : bits * 0.5;
  }

  /** Shares the records, once all are added: their numbers lie in memory that threads share from now on. */
  shareRecords(): SharedRecords {
    return {
      values: this.values.map((v) => v.share()),
      incoming: this.incoming.share(),
      known: this.among ? null : this.known.share(),
    };
  }

  /** Takes the records of another thread's matcher in place of its own. None can be added to them. */
  takeRecords({ values, incoming, known }: SharedRecords): void {
    this.values.forEach((v, f) => v.take(values[f]!));
    this.incoming.take(incoming);
    if (known) this.known.take(known);
  }

  /** Counts the known values and indexes the known records, unless an index is given. To be called when all records are there. */
  prepare(made?: IndexRows): void {
    this.left = this.values.map((_, f) => this.incoming.column(f));
    this.right = this.values.map((_, f) => this.known.column(f));
    this.index = new CandidateIndex(this.known, candidatesFor(this.values.length), made);
    const n = this.known.length;
    this.frequencies = this.values.map((_, f) => this.known.frequencies(f));
    this.commonness = this.frequencies.map((counts) => {
      const filled = n - counts[0]!;
      let together = 0;
      for (let v = 1; v < counts.length; v++) together += counts[v]! * (counts[v]! - 1);
      return filled === 0 ? 1 : Math.max(together / filled, 1e-6 * filled, 1 / Math.max(1, filled));
    });
  }

  /** Estimates the model from these very records, from `start` on, without anyone's labels; from known ones as well where they are few. */
  estimate(start = 0): MatchModel {
    return this.estimateFrom(this.sampleOf(this.sampled(start)), this.randomLevels(start));
  }

  /** Known records that stand in for the few that are asked about, from `start` on. */
  private standIns(start: number): number {
    const lacking = SAMPLE_RECORDS.least - (this.incoming.length - start);
    return Math.max(0, Math.min(lacking, this.among ? start : this.known.length));
  }

  /** The share of each level among pairs taken at random, by field. */
  randomLevels(start = 0, seed = 1): number[][] {
    const { values, incoming, known, level, left, right } = this;
    const n = incoming.length - start;
    const others = this.standIns(start);
    const below = numbersFrom(seed);
    const pairs = between((n + others) / 2, RANDOM_PAIRS);
    const counts = values.map((v) => new Array<number>(levelCount(v)).fill(0));
    if (n + others > 0 && known.length > 1) {
      for (let i = 0; i < pairs; i++) {
        const which = below(n + others);
        const a = which < n ? start + which : below(this.among ? start : known.length);
        const b = below(known.length);
        if ((this.among || which >= n) && a === b) continue;
        this.left = which < n ? left : right;
        this.compare(a, b);
        for (let f = 0; f < values.length; f++) if (level[f] !== MISSING) counts[f]![level[f]!]!++;
      }
      this.left = left;
    }
    return counts.map((c, f) => {
      const filled = known.length - this.frequencies[f]![0]!;
      return randomShares(c, this.commonness[f]! / Math.max(1, filled));
    });
  }

  /** The records whose candidates the model is estimated from: of those from `start` on, and known ones where these are few. */
  sampled(start = 0, seed = 2): Sampled {
    const below = numbersFrom(seed);
    // Taken at different places of each stretch, so that no pattern in the order is met.
    const some = (from: number, n: number, step: number): Int32Array =>
      Int32Array.from({ length: Math.ceil(n / step) }, (_, i) => from + Math.min(n - 1, i * step + below(step)));
    const n = this.incoming.length - start;
    const own = some(start, n, Math.max(1, Math.floor(n / between(n / 20, SAMPLE_RECORDS))));
    const others = this.standIns(start);
    const from = this.among ? start : this.known.length;
    return { own, known: some(0, others === 0 ? 0 : from, Math.max(1, Math.floor(from / Math.max(1, others)))) };
  }

  /** The candidates of some records, as levels of their fields. */
  sampleOf({ own, known: others }: Sampled): Sample {
    const { values, incoming, known, level, left, right } = this;
    const index = this.index!;
    const width = values.length;
    const records = own.length + others.length;
    const most = records * candidatesFor(width);
    const levels = new Uint8Array(most * width);
    const rarity = new Float32Array(most * width);
    let count = 0;
    const take = (table: MatchTable, list: Int32Array): void => {
      for (const record of list) {
        const found = index.find(table, record, known.length);
        for (let i = 0; i < found; i++) {
          const b = index.found[i]!;
          if (table === known && b === record) continue;
          this.compare(record, b);
          const p = count++;
          for (let f = 0; f < width; f++) {
            levels[p * width + f] = level[f]!;
            rarity[p * width + f] = level[f] === MISSING ? 0 : this.rarity(f, level[f]!, record, b);
          }
        }
      }
    };
    take(incoming, own);
    const ownCount = count;
    this.left = right;
    take(known, others);
    this.left = left;
    return { records, own: { records: own.length, count: ownCount }, count, levels, rarity };
  }

  /** The model that a sample and pairs taken at random speak for; it is used from now on. */
  estimateFrom(sample: Sample, random: readonly (readonly number[])[]): MatchModel {
    const { values, known } = this;
    const model = estimate(values, sample, random, sample.records * known.length, sample.records);
    this.use(model);
    return model;
  }

  /** Takes a model that was estimated before, or elsewhere. */
  use(model: MatchModel): void {
    this.model = model;
    this.curves = this.values.map((v, f) => curveOf(v, model.fields[f]!.weights));
    this.odds = Math.log2(model.prior / (1 - model.prior));
    const { kinds = [] } = model;
    this.kinds =
      kinds.length === 0
        ? []
        : [
            {
              same: true,
              odds: Math.log2(model.prior),
              curves: this.curves,
              common: this.levels.map(() => new Array<number>(256).fill(1)),
            },
            ...kinds.map(({ kind, prior, fields }) => ({
              same: kind === "moved",
              odds: Math.log2(prior),
              curves: this.values.map((v, f) => curveOf(v, fields[f]!.weights)),
              common: fields.map((f) => f.common),
            })),
          ];
    // Dates, codes and numbers first: they are quick to compare and say much. `rest` is what the
    // fields after each can add at most.
    this.order = this.values
      .map((_, f) => f)
      .sort((f, g) => Number(this.values[f]!.textual) - Number(this.values[g]!.textual) || f - g);
    const most = (f: number): number =>
      Math.max(0, ...this.curves[f]!) + Math.max(0, Math.log2(Math.max(1, this.commonness[f] ?? 1)));
    this.rest = this.order.map((_, i) => this.order.slice(i + 1).reduce((n, f) => n + most(f), 0));
  }

  /** The bits of a pair, with `share` and `level` saying where they come from. */
  private judge(a: number, b: number, least = -Infinity): number {
    const { alike, level, levels, likeness, share, curves, order, rest } = this;
    const plain = this.kinds.length === 0;
    let sure = this.odds;
    for (let i = 0; i < order.length; i++) {
      const f = order[i]!;
      const byte = (alike[f] = likeness[f]!.of(this.left[f]![a]!, this.right[f]![b]!));
      const l = (level[f] = levels[f]![byte]!);
      // Words may yet be found in each other's fields; what other fields say stands.
      if (plain && l !== MISSING && !this.values[f]!.textual) {
        sure += curves[f]![byte]! + this.rarity(f, l, a, b);
        if (sure + rest[i]! < least) return -Infinity;
      }
    }
    this.cross(a, b);
    if (!plain) return this.judgeByKinds(a, b);
    let bits = this.odds;
    for (let f = 0; f < level.length; f++) {
      const l = level[f]!;
      if (l === MISSING) share[f] = 0;
      else bits += share[f] = curves[f]![alike[f]!]! + this.rarity(f, l, a, b);
    }
    return bits;
  }

  /** The same where there are several kinds of pairs: the likeliest kind of same ones against the likeliest of all others. */
  private judgeByKinds(a: number, b: number): number {
    const { alike, level, share, kinds } = this;
    let same = -Infinity;
    // Random pairs are what bits are counted from.
    let other = 0;
    let best: Judged = kinds[0]!;
    let against: Judged | null = null;
    for (let f = 0; f < level.length; f++) share[f] = level[f] === MISSING ? 0 : this.rarity(f, level[f]!, a, b);
    for (const kind of kinds) {
      let sum = kind.odds;
      for (let f = 0; f < level.length; f++) {
        const l = level[f]!;
        if (l !== MISSING) sum += kind.curves[f]![alike[f]!]! + kind.common[f]![l]! * share[f]!;
      }
      if (kind.same && sum > same) [same, best] = [sum, kind];
      else if (!kind.same && sum > other) [other, against] = [sum, kind];
    }
    for (let f = 0; f < level.length; f++) {
      const l = level[f]!;
      if (l === MISSING) continue;
      const at = alike[f]!;
      const rare = share[f]!;
      share[f] = best.curves[f]![at]! + best.common[f]![l]! * rare;
      if (against) share[f]! -= against.curves[f]![at]! + against.common[f]![l]! * rare;
    }
    return same - other;
  }

  /** The evidence of one pair. */
  explain(a: number, b: number): { bits: number; levels: number[]; shares: number[] } {
    const bits = this.judge(a, b);
    return { bits, levels: [...this.level], shares: [...this.share] };
  }

  /**
   * Every pair from `leastScore` on, by incoming record; `best`: only so many of each record's best.
   * `from` and `to` say which incoming records, `before` which of the known ones.
   */
  pairs(options: { leastScore?: number; best?: number; from?: number; to?: number; before?: number } = {}): Pairs {
    const { leastScore = LEAST_SCORE, best = Infinity, from = 0, to = this.incoming.length } = options;
    const { before = this.known.length } = options;
    if (!this.index || !this.model) throw new Error("pairs are found after prepare() and estimate()");
    const least = bitsOf(leastScore);
    const list = new PairList(this.values.length);
    const { index, among } = this;
    const scores: { b: number; bits: number }[] = [];
    for (let a = from; a < to; a++) {
      const found = index.find(this.incoming, a, among ? Math.min(a, before) : before);
      scores.length = 0;
      for (let i = 0; i < found; i++) {
        const b = index.found[i]!;
        const bits = this.judge(a, b, least);
        if (bits < least) continue;
        if (best === Infinity) list.add(a, b, bits, this.share);
        else scores.push({ b, bits });
      }
      if (best === Infinity || scores.length === 0) continue;
      scores.sort((x, y) => y.bits - x.bits || x.b - y.b);
      for (const { b } of scores.slice(0, best)) list.add(a, b, this.judge(a, b), this.share);
    }
    return list;
  }
}

/** Records whose candidates a model is estimated from: incoming ones, and known ones that stand in for more of them. */
export interface Sampled {
  readonly own: Int32Array;
  readonly known: Int32Array;
}

/** Records for a matcher of another thread, in memory that both read: all but the texts of their values. */
export interface SharedRecords {
  readonly values: readonly SharedValues[];
  readonly incoming: readonly SharedNumbers[];
  /** Null where records are compared with one another. */
  readonly known: readonly SharedNumbers[] | null;
}

/** The band of a score. */
export function bandOf(score: number, limits: MatchLimits): Band {
  return score >= limits.same ? "same" : score >= limits.ask ? "ask" : "different";
}
