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
/** How many records that share rare features have all their features looked at. */
const POOL = 40;
/** How many features an index tells apart, for each record and in all. */
const ROOM = 8;
const LEAST_ROOM = 1 << 16;
const MOST_ROOM = 1 << 23;
/** Of so many records the features are kept while an index is made; and how many a record has as a rule. */
const MOST_KEPT = 200_000;
const USUAL_FEATURES = 64;

/** The features of the values of each record, side by side; read as they lie with the values, they are apart in memory. */
class FeatureRows {
  private readonly starts: Int32Array;
  private readonly list: Uint16Array;

  constructor(known: MatchTable) {
    const { length, values } = known;
    const fields = values.map(({ featureStarts, featureList }, f) => ({
      column: known.column(f),
      featureStarts,
      featureList,
    }));
    const starts = new Int32Array(length + 1);
    for (let r = 0; r < length; r++) {
      let n = starts[r]!;
      for (const { column, featureStarts } of fields) n += featureStarts[column[r]! + 1]! - featureStarts[column[r]!]!;
      starts[r + 1] = n;
    }
    const list = new Uint16Array(starts[length]!);
    let at = 0;
    for (let r = 0; r < length; r++) {
      for (const { column, featureStarts, featureList } of fields) {
        const value = column[r]!;
        const end = featureStarts[value + 1]!;
        for (let j = featureStarts[value]!; j < end; j++) list[at++] = featureList[j]! & MARKED;
      }
    }
    this.starts = starts;
    this.list = list;
  }

  /** The sum of what a record's features are marked with. */
  sum(record: number, marks: Uint16Array): number {
    const { list } = this;
    const end = this.starts[record + 1]!;
    let sum = 0;
    for (let j = this.starts[record]!; j < end; j++) sum += marks[list[j]!]!;
    return sum;
  }
}

/** The rows of an index, which may lie in memory that threads share. */
export interface IndexRows {
  readonly room: number;
  readonly starts: Int32Array;
  readonly entries: Int32Array;
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
  private readonly keptCounts: Uint16Array;

  /** `memory`: where counts are kept that another thread will read. */
  constructor(
    private readonly known: MatchTable,
    private readonly from: number,
    private readonly to: number,
    memory?: Int32Array,
  ) {
    this.counts = memory ?? new Int32Array(roomFor(known.length));
    this.own = new RecordFeatures(known.values, this.counts.length);
    const keep = known.length <= MOST_KEPT;
    this.kept = keep ? new Int32Array((to - from) * USUAL_FEATURES) : null;
    this.keptCounts = new Uint16Array(keep ? to - from : 0);
    this.count();
  }

  private count(): void {
    const { known, own, counts, from, to } = this;
    let have = 0;
    for (let r = from; r < to; r++) {
      own.read(known, r);
      for (let i = 0; i < own.count; i++) counts[own.list[i]!]!++;
      if (!this.kept) continue;
      if (have + own.count > this.kept.length) {
        const grown = new Int32Array(Math.max(have + own.count, this.kept.length * 2));
        grown.set(this.kept);
        this.kept = grown;
      }
      this.kept.set(own.list.subarray(0, own.count), have);
      this.keptCounts[r - from] = own.count;
      have += own.count;
    }
  }

  /** Puts the records into the rows, once these are laid out; to be called once. */
  fill(entries: Int32Array): void {
    const { known, own, from, to, kept, keptCounts, counts: at } = this;
    let begin = 0;
    for (let r = from; r < to; r++) {
      if (kept) {
        const end = begin + keptCounts[r - from]!;
        for (; begin < end; begin++) entries[at[kept[begin]!]!++] = r;
      } else {
        own.read(known, r);
        for (let i = 0; i < own.count; i++) entries[at[own.list[i]!]!++] = r;
      }
    }
    this.kept = null;
  }
}

/**
 * Lays out rows for parts of the records, empty yet. The counts of the parts become where in each row
 * each part's records begin.
 */
export function layOut(counts: readonly Int32Array[], memory: (length: number) => Int32Array): IndexRows {
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
  return { room, starts, entries: memory(next) };
}

function rowsOf(part: IndexPart): IndexRows {
  const rows = layOut([part.counts], (length) => new Int32Array(length));
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
  private readonly sums: Uint16Array;
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
  /** Made when they are first asked for, as they are by few fields alone. */
  private rows: FeatureRows | null = null;
  /** The candidates that were found last, the best not first. */
  readonly found: Int32Array;

  constructor(
    readonly known: MatchTable,
    private readonly most: number,
    made?: IndexRows,
  ) {
    // Several fields tell records apart by their rare features alone.
    this.pool = new Int32Array(known.values.length > 2 ? most : Math.max(most, POOL));
    this.budget = budgetFor(known.length);
    this.touched = new Int32Array(this.budget * 2);
    this.rates = new Uint16Array(this.budget * 2);
    const { room, starts, entries } = made ?? rowsOf(new IndexPart(known, 0, known.length));
    [this.room, this.starts, this.entries] = [room, starts, entries];
    this.own = new RecordFeatures(known.values, room);
    const rarity = Math.log2(known.length + 1);
    this.weights = Uint16Array.from({ length: WEIGHTS }, (_, n) =>
      Math.max(1, Math.round(12 * (rarity - Math.log2(n || 1)))),
    );
    this.sums = new Uint16Array(known.length);
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
    const touched = this.touchRarest(this.rarestFirst(), least, past);
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

  /** Sums up what features say of the records that have them, from `least` to below `past`; gives how many records these are. */
  private touchRarest(order: Float64Array, least: number, past: number): number {
    const { own, starts, entries, sums, budget } = this;
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
        const sum = sums[r]!;
        // Put down always and counted where it is met first, without a branch that no processor foresees.
        list[touched] = r;
        touched += (sum - 1) >>> 31;
        // Long texts have many features: a sum that came round to nothing would count its record twice.
        sums[r] = Math.min(0xffff, sum + weight);
      }
      looked += to - from;
    }
    return touched;
  }

  /** Puts the records with the highest sums into the pool; gives how many. Nothing of the sums is left for the next record. */
  private poolBest(touched: number): number {
    const { sums, bins, pool, rates, chosen, touched: list } = this;
    // Side by side from here on, as what lies apart takes long to read.
    let highest = 0;
    for (let i = 0; i < touched; i++) {
      const r = list[i]!;
      const rate = sums[r]!;
      rates[i] = rate;
      sums[r] = 0;
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
    const { own, starts, marks, pool, chosen, rates, whole, bins, found } = this;
    for (let i = 0; i < own.count; i++) {
      const feature = own.list[i]!;
      const n = starts[feature + 1]! - starts[feature]!;
      if (n > 0) marks[feature & MARKED] = this.weightOf(n);
    }
    this.rows ??= new FeatureRows(this.known);
    for (let i = 0; i < pooled; i++) {
      // What both coarse features say stays counted by the first sum.
      whole[i] = Math.min(0xffff, this.rows.sum(pool[i]!, marks) + (rates[chosen[i]!]! >> 1));
    }
    for (let i = 0; i < own.count; i++) marks[own.list[i]! & MARKED] = 0;
    const count = keepHighest(whole, pooled, chosen, this.most, bins, countRates(whole, pooled, bins));
    for (let i = 0; i < count; i++) found[i] = pool[chosen[i]!]!;
    return count;
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
