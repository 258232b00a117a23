import { MOST_FEATURES, RecordFeatures, type MatchTable } from "./table.ts";

/**
 * Entries of the index that are looked at for one record, at most, as a rule; the rarest features
 * come first. Among more records more are alike by chance.
 */
function budgetFor(records: number): number {
  return Math.round(2_000 + records / 500);
}
/** Features with so few records are always looked at. */
const RARE = 24;
/** Rates are told apart in steps of four. */
const RATE_BITS = 2;
const BINS = 0x10000 >> RATE_BITS;
/** Weights that are computed beforehand. */
const WEIGHTS = 8192;
/** Features of one record are told apart by their last sixteen bits, so that all marks stay at hand. */
const MARKED = 0xffff;
/** A sum is below this; with the number of its search before it, it is a whole number of 31 bits. */
const SEARCH = 0x10000;
const MOST_SEARCHES = 0x8000;
/** How many records that share rare features have all their features looked at. */
const POOL = 40;
/** How many features an index tells apart, for each record and in all. */
const ROOM = 8;
const LEAST_ROOM = 1 << 16;
const MOST_ROOM = 1 << 23;
/** Of so many records the features are kept while an index is made; and how many a record has as a rule. */
const MOST_KEPT = 200_000;
const USUAL_FEATURES = 64;

/** The features of records from one on, side by side: where each record's begin, and their last bits. */
export interface FeatureRows {
  readonly from: number;
  readonly starts: Int32Array;
  readonly list: Uint16Array;
}

/** Whether the candidates of records like these are chosen by all of their features: several fields tell them apart by the rare ones alone. */
function looksAtAll({ values }: MatchTable): boolean {
  return values.length <= 2;
}

/** The rows of an index, which may lie in memory that threads share. */
export interface IndexRows {
  readonly room: number;
  readonly starts: Int32Array;
  readonly entries: Int32Array;
  /** What the parts of the records have, in their order; none where nobody looks at all of it. */
  readonly features: readonly FeatureRows[];
}

/** How many features an index of so many records tells apart. */
export function roomFor(records: number): number {
  let room = LEAST_ROOM;
  while (room < MOST_ROOM && room < records * ROOM) room *= 2;
  return room;
}

/** The records of an index from one to before another: first they are counted by feature, then put into its rows. */
export class IndexPart {
  /** How many of them have each feature. */
  readonly counts: Int32Array;
  private readonly own: RecordFeatures;
  /** Reading features takes longer than keeping them: for not too many records they are read once. */
  private kept: Int32Array | null;
  private readonly starts: Int32Array;
  private marked: Uint16Array | null;

  /** `memory`: where counts are kept that another thread will read. */
  constructor(
    private readonly known: MatchTable,
    private readonly from: number,
    private readonly to: number,
    memory?: Int32Array,
  ) {
    this.counts = memory ?? new Int32Array(roomFor(known.length));
    this.own = new RecordFeatures(known.values, this.counts.length);
    const room = (to - from) * USUAL_FEATURES;
    this.kept = known.length <= MOST_KEPT ? new Int32Array(room) : null;
    this.marked = looksAtAll(known) ? new Uint16Array(room) : null;
    this.starts = new Int32Array(to - from + 1);
    this.count();
  }

  private count(): void {
    const { known, own, counts, from, to, starts } = this;
    let have = 0;
    for (let r = from; r < to; r++) {
      own.read(known, r);
      const { count, list } = own;
      const need = have + count;
      if (this.kept && need > this.kept.length) this.kept = grown(this.kept, need);
      if (this.marked && need > this.marked.length) this.marked = grown(this.marked, need);
      const { kept, marked } = this;
      for (let i = 0; i < count; i++) {
        const feature = list[i]!;
        counts[feature]!++;
        if (kept) kept[have + i] = feature;
        if (marked) marked[have + i] = feature & MARKED;
      }
      have = need;
      starts[r - from + 1] = have;
    }
  }

  /** What the records have, in memory that threads may share; to be called once. */
  features(memory: (bytes: number) => ArrayBufferLike): FeatureRows[] {
    const { marked, starts, from } = this;
    this.marked = null;
    if (!marked) return [];
    const rows = {
      from,
      starts: new Int32Array(memory(starts.byteLength)),
      list: new Uint16Array(memory(2 * starts.at(-1)!)),
    };
    rows.starts.set(starts);
    rows.list.set(marked.subarray(0, rows.list.length));
    return [rows];
  }

  /** Puts the records into the rows, once these are laid out; to be called once. */
  fill(entries: Int32Array): void {
    const { known, own, from, to, kept, starts, counts: at } = this;
    for (let r = from; r < to; r++) {
      if (kept) {
        const end = starts[r - from + 1]!;
        for (let i = starts[r - from]!; i < end; i++) entries[at[kept[i]!]!++] = r;
      } else {
        own.read(known, r);
        for (let i = 0; i < own.count; i++) entries[at[own.list[i]!]!++] = r;
      }
    }
    this.kept = null;
  }
}

function grown<T extends Int32Array | Uint16Array>(list: T, need: number): T {
  const more = new (list.constructor as new (length: number) => T)(Math.max(need, list.length * 2));
  more.set(list);
  return more;
}

/**
 * Lays out rows for parts of the records, empty yet. The counts of the parts become where in each row
 * each part's records begin.
 */
export function layOut(
  counts: readonly Int32Array[],
  features: readonly FeatureRows[],
  memory: (length: number) => Int32Array,
): IndexRows {
  const room = counts[0]!.length;
  const starts = memory(room + 1);
  let next = 0;
  for (let i = 0; i < room; i++) {
    starts[i] = next;
    for (const part of counts) {
      const n = part[i]!;
      part[i] = next;
      next += n;
    }
  }
  starts[room] = next;
  return { room, starts, entries: memory(next), features };
}

function rowsOf(part: IndexPart): IndexRows {
  const features = part.features((bytes) => new ArrayBuffer(bytes));
  const rows = layOut([part.counts], features, (length) => new Int32Array(length));
  part.fill(rows.entries);
  return rows;
}

/**
 * For each feature the records that have it, in compressed rows: an inverted index (Zobel and
 * Moffat, 2006). A record's candidates are the ones that share its rarest features, each counted
 * by its rarity (Spärck Jones, 1972), under a budget of entries. Nothing that shares only common
 * features with it is ever compared.
 */
export class CandidateIndex {
  private readonly room: number;
  private readonly starts: Int32Array;
  private readonly entries: Int32Array;
  private readonly own: RecordFeatures;
  /** By known record what its features have come to, in the search whose number is before it. */
  private readonly sums: Int32Array;
  private search = 0;
  private touched: Int32Array;
  private readonly budget: number;
  private readonly order = new Float64Array(MOST_FEATURES);
  private readonly weights: Uint16Array;
  private readonly bins = new Int32Array(BINS);
  private readonly pool: Int32Array;
  private readonly whole = new Uint16Array(POOL);
  /** The sums of what was touched, and the places of those that were chosen. */
  private rates: Uint16Array;
  private readonly chosen: Int32Array;
  private readonly marks: Uint16Array;
  private readonly features: readonly FeatureRows[];
  /** The candidates that were found last, the best not first. */
  readonly found: Int32Array;

  constructor(
    readonly known: MatchTable,
    private readonly most: number,
    made?: IndexRows,
  ) {
    this.pool = new Int32Array(looksAtAll(known) ? Math.max(most, POOL) : most);
    this.budget = budgetFor(known.length);
    this.touched = new Int32Array(this.budget * 2);
    this.rates = new Uint16Array(this.budget * 2);
    const { room, starts, entries, features } = made ?? rowsOf(new IndexPart(known, 0, known.length));
    [this.room, this.starts, this.entries, this.features] = [room, starts, entries, features];
    this.own = new RecordFeatures(known.values, room);
    const rarity = Math.log2(known.length + 1);
    this.weights = Uint16Array.from({ length: WEIGHTS }, (_, n) =>
      Math.max(1, Math.round(12 * (rarity - Math.log2(n || 1)))),
    );
    this.sums = new Int32Array(known.length);
    this.found = new Int32Array(most);
    this.chosen = new Int32Array(this.pool.length);
    this.marks = new Uint16Array(MARKED + 1);
  }

  /** How much a feature that so many records have counts. */
  private weightOf(n: number): number {
    return n < WEIGHTS ? this.weights[n]! : 1;
  }

  /**
   * Finds the records of the known table that may be the same as a record; returns how many,
   * `found` has their numbers. Only those from `least` to below `before` are looked at.
   */
  find(table: MatchTable, record: number, before = this.known.length, least = 0): number {
    this.own.read(table, record);
    const past = before < this.known.length ? before : this.known.length;
    const order = this.rarestFirst();
    const enough = this.pool.length;
    let touched = this.touch(order, least, past, this.mostOfOne(order));
    if (touched < enough) touched = this.touch(order, least, past, 0);
    const pooled = this.poolBest(touched);
    if (pooled > this.most) return this.keepBestOfPool(pooled);
    this.found.set(this.pool.subarray(0, pooled));
    return pooled;
  }

  /**
   * The record's features that have known records, the rarest first; those past the budget not at all, unless there
   * is nothing else. A number holds how many records a feature has, and which of the record's features it is.
   */
  private rarestFirst(): Float64Array {
    const { own, starts, budget, order } = this;
    let kept = 0;
    let rarest = -1;
    for (let i = 0; i < own.count; i++) {
      const feature = own.list[i]!;
      const n = starts[feature + 1]! - starts[feature]!;
      if (n === 0) continue;
      if (n <= budget) order[kept++] = n * MOST_FEATURES + i;
      else if (rarest < 0 || n * MOST_FEATURES + i < rarest) rarest = n * MOST_FEATURES + i;
    }
    if (kept === 0 && rarest >= 0) order[kept++] = rarest;
    return order.subarray(0, kept).sort();
  }

  /** What a record comes to at most that shares one feature with the one at hand, and none that is rare. */
  private mostOfOne(order: Float64Array): number {
    for (const key of order) {
      const n = Math.floor(key / MOST_FEATURES);
      if (n > RARE) return this.weightOf(n);
    }
    return 0;
  }

  /**
   * Sums up what features say of the records that have them, from `least` to below `past`; gives how many of these
   * come to more than `above`. What is left of the search before is told by its number, and counts as nothing.
   */
  private touch(order: Float64Array, least: number, past: number, above: number): number {
    const { own, starts, entries, sums, budget } = this;
    if (++this.search === MOST_SEARCHES) {
      sums.fill(0);
      this.search = 1;
    }
    const base = this.search * SEARCH;
    let touched = 0;
    let looked = 0;
    for (const key of order) {
      const n = Math.floor(key / MOST_FEATURES);
      const feature = own.list[key - n * MOST_FEATURES]!;
      if (looked + n > budget && looked > 0 && n > RARE) break;
      const weight = this.weightOf(n);
      const start = starts[feature]!;
      const end = starts[feature + 1]!;
      const need = touched + n + 1;
      if (need > this.touched.length) {
        const grown = new Int32Array(need * 2);
        grown.set(this.touched);
        this.touched = grown;
        this.rates = new Uint16Array(grown.length);
      }
      const list = this.touched;
      const from = least > 0 ? firstFrom(entries, start, end, least) : start;
      const to = past < this.known.length ? firstFrom(entries, from, end, past) : end;
      for (let i = from; i < to; i++) {
        const r = entries[i]!;
        const left = sums[r]! - base;
        const before = left & ~(left >> 31);
        const sum = Math.min(SEARCH - 1, before + weight);
        sums[r] = base + sum;
        // Put down always and counted where it comes to more than that first, without a branch that no processor foresees.
        list[touched] = r;
        touched += ((above - sum) >>> 31) & ((before - above - 1) >>> 31);
      }
      looked += to - from;
    }
    return touched;
  }

  /** Puts those with the highest sums into the pool; gives how many. */
  private poolBest(touched: number): number {
    const { sums, bins, pool, rates, chosen, touched: list } = this;
    const base = this.search * SEARCH;
    // Side by side from here on, as what lies apart takes long to read.
    let highest = 0;
    for (let i = 0; i < touched; i++) {
      const rate = sums[list[i]!]! - base;
      rates[i] = rate;
      const bin = rate >> RATE_BITS;
      bins[bin]!++;
      if (bin > highest) highest = bin;
    }
    const pooled = keepHighest(rates, touched, chosen, pool.length, bins, highest);
    for (let i = 0; i < pooled; i++) pool[i] = list[chosen[i]!]!;
    return pooled;
  }

  /**
   * Keeps those of the pool that have most in common with the record. The sums so far are of the rarest features
   * alone: the rest are looked up the other way round, from the record to its features.
   */
  private keepBestOfPool(pooled: number): number {
    const { own, starts, marks, pool, chosen, whole, bins, found } = this;
    for (let i = 0; i < own.count; i++) {
      const feature = own.list[i]!;
      const n = starts[feature + 1]! - starts[feature]!;
      if (n > 0) marks[feature & MARKED] = this.weightOf(n);
    }
    for (let i = 0; i < pooled; i++) whole[i] = Math.min(0xffff, this.sumOf(pool[i]!));
    for (let i = 0; i < own.count; i++) marks[own.list[i]! & MARKED] = 0;
    const count = keepHighest(whole, pooled, chosen, this.most, bins, countRates(whole, pooled, bins));
    for (let i = 0; i < count; i++) found[i] = pool[chosen[i]!]!;
    return count;
  }

  /** The sum of what a known record's features are marked with. */
  private sumOf(record: number): number {
    const { marks, features } = this;
    const { from, starts, list } = features.length > 1 && record >= features[1]!.from ? features[1]! : features[0]!;
    const end = starts[record - from + 1]!;
    let sum = 0;
    for (let j = starts[record - from]!; j < end; j++) sum += marks[list[j]!]!;
    return sum;
  }
}

/** The first place from one to before another whose record is not below `least`; records ascend. */
function firstFrom(entries: Int32Array, from: number, to: number, least: number): number {
  while (from < to) {
    const middle = (from + to) >> 1;
    if (entries[middle]! < least) from = middle + 1;
    else to = middle;
  }
  return from;
}

/** Counts rates; gives the highest bin that has any. */
function countRates(rates: Uint16Array, count: number, bins: Int32Array): number {
  let highest = 0;
  for (let i = 0; i < count; i++) {
    const bin = rates[i]! >> RATE_BITS;
    bins[bin]!++;
    if (bin > highest) highest = bin;
  }
  return highest;
}

/**
 * Puts the places of the highest rates into `to`, `most` at most; gives how many. Of equals, the earlier ones.
 * `bins`: how many rates each has, up to the highest that has any; empty again afterwards.
 */
function keepHighest(
  rates: Uint16Array,
  count: number,
  to: Int32Array,
  most: number,
  bins: Int32Array,
  highest: number,
): number {
  let above = 0;
  let least = highest;
  // Only as many bins as are needed: most rates are low.
  while (least >= 0 && above + bins[least]! <= most) above += bins[least--]!;
  bins.fill(0, 0, highest + 1);
  if (least < 0) {
    for (let i = 0; i < count; i++) to[i] = i;
    return count;
  }
  let n = 0;
  let level = most - above;
  for (let i = 0; i < count; i++) {
    const bin = rates[i]! >> RATE_BITS;
    if (bin > least || (bin === least && level-- > 0)) to[n++] = i;
  }
  return n;
}
