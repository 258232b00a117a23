import { grown } from "../../kernel/lists.ts";
import { MARKED, looksAtAll, rowsOf, type FeatureRows, type IndexRows } from "./index-rows.ts";
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
/** So few numbers are put in order by moving each to its place, sooner than a list is asked to sort itself. */
const FEW = 64;
/** So many rows are asked for before the first one is summed up; as a rule no more are. */
const ASKED = 12;
/** Weights that are computed beforehand. */
const WEIGHTS = 8192;
/** A weight is a byte at most, so that what is marked with it stays at hand. */
const MOST_WEIGHT = 0xff;
/** A sum is below this; with the number of its search before it, it is a whole number of 31 bits. */
const SEARCH = 0x10000;
/** So that it is, no more of a record's features are summed up than these, the rarest. */
const MOST_SUMMED = Math.floor((SEARCH - 1) / MOST_WEIGHT);
const MOST_SEARCHES = 0x8000;
/** How many records that share rare features have all their features looked at. */
const POOL = 40;

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
  private readonly weights: Uint8Array;
  private readonly bins = new Int32Array(BINS);
  private readonly pool: Int32Array;
  private readonly whole = new Uint16Array(POOL);
  private readonly begins = new Int32Array(POOL);
  private readonly ends = new Int32Array(POOL);
  /** What was read only so that it is at hand; nobody asks for it. */
  private near = 0;
  /** The sums of what was touched, and the places of those that were chosen. */
  private rates: Uint16Array;
  private readonly chosen: Int32Array;
  private readonly marks: Uint8Array;
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
    const { room, starts, entries, features } = made ?? rowsOf(known);
    [this.room, this.starts, this.entries, this.features] = [room, starts, entries, features];
    this.own = new RecordFeatures(known.values, room);
    const rarity = Math.log2(known.length + 1);
    this.weights = Uint8Array.from({ length: WEIGHTS }, (_, n) =>
      Math.min(MOST_WEIGHT, Math.max(1, Math.round(12 * (rarity - Math.log2(n || 1))))),
    );
    this.sums = new Int32Array(known.length);
    this.found = new Int32Array(most);
    this.chosen = new Int32Array(this.pool.length);
    this.marks = new Uint8Array(MARKED + 1);
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
    // Most records that are met share one common feature and no more, and as a rule enough others do: then all that is
    // done with the sums is spared for those (in one of forty searches by name and town they are needed after all).
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
    return sorted(order, Math.min(kept, MOST_SUMMED), kept);
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
    this.ask(order);
    for (const key of order) {
      const n = Math.floor(key / MOST_FEATURES);
      const feature = own.list[key - n * MOST_FEATURES]!;
      if (looked + n > budget && looked > 0 && n > RARE) break;
      const weight = this.weightOf(n);
      const start = starts[feature]!;
      const end = starts[feature + 1]!;
      const need = touched + n + 1;
      if (need > this.touched.length) {
        this.touched = grown(this.touched, need * 2);
        this.rates = new Uint16Array(need * 2);
      }
      const list = this.touched;
      const from = least > 0 ? firstFrom(entries, start, end, least) : start;
      const to = past < this.known.length ? firstFrom(entries, from, end, past) : end;
      for (let i = from; i < to; i++) {
        const r = entries[i]!;
        const left = sums[r]! - base;
        const before = left & ~(left >> 31);
        const sum = before + weight;
        sums[r] = base + sum;
        // Put down always and counted where it comes to more than that first, without a branch that no processor foresees.
        list[touched] = r;
        touched += ((above - sum) & (before - above - 1)) >>> 31;
      }
      looked += to - from;
    }
    return touched;
  }

  /** Reads where the rows of the rarest features begin, all side by side, since they lie far apart. */
  private ask(order: Float64Array): void {
    const { own, starts, entries } = this;
    let near = 0;
    for (let i = 0; i < order.length && i < ASKED; i++) near |= entries[starts[own.list[order[i]! % MOST_FEATURES]!]!]!;
    this.near = near;
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
    this.sumUp(pooled);
    for (let i = 0; i < own.count; i++) marks[own.list[i]! & MARKED] = 0;
    const count = keepHighest(whole, pooled, chosen, this.most, bins, countRates(whole, pooled, bins));
    for (let i = 0; i < count; i++) found[i] = pool[chosen[i]!]!;
    return count;
  }

  /** Sums up what the features of the records of the pool are marked with. */
  private sumUp(pooled: number): void {
    const { marks, features, pool, whole, begins, ends } = this;
    for (const { from, starts, list } of features) {
      const past = from + starts.length - 1;
      // All are asked for before one is summed up: they lie far apart, and so are read side by side.
      let near = 0;
      for (let i = 0; i < pooled; i++) {
        const record = pool[i]! - from;
        if (record < 0 || record >= past - from) continue;
        begins[i] = starts[record]!;
        ends[i] = starts[record + 1]!;
        near |= list[begins[i]!]! | list[ends[i]! - 1]!;
      }
      this.near = near;
      for (let i = 0; i < pooled; i++) {
        const record = pool[i]! - from;
        if (record < 0 || record >= past - from) continue;
        let sum = 0;
        for (let j = begins[i]!, end = ends[i]!; j < end; j++) sum += marks[list[j]!]!;
        whole[i] = Math.min(0xffff, sum);
      }
    }
  }
}

/** The smallest of some numbers, so many of them, in their order. */
function sorted(list: Float64Array, most: number, count: number): Float64Array {
  if (count > FEW) return list.subarray(0, count).sort().subarray(0, most);
  for (let i = 1; i < count; i++) {
    const n = list[i]!;
    let at = i;
    for (; at > 0 && list[at - 1]! > n; at--) list[at] = list[at - 1]!;
    list[at] = n;
  }
  return list.subarray(0, most);
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
