import { RecordFeatures, inSharedMemory, type MatchTable } from "./table.ts";

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
/** Features of a record at most. */
const MOST_FEATURES = 4096;
/** Weights that are reckoned beforehand. */
const WEIGHTS = 8192;
/** Features of one record are told apart by their last sixteen bits, so that all marks stay at hand. */
const MARKED = 0xffff;
/** How many records that share rare features have all their features looked at. */
const POOL = 40;
/** How many features an index tells apart, for each record and in all. */
const ROOM = 20;
const LEAST_ROOM = 1 << 16;
const MOST_ROOM = 1 << 23;
/** Of so many records the features are kept while an index is made; and how many a record has as a rule. */
const MOST_KEPT = 200_000;
const USUAL_FEATURES = 64;

/** The rows of an index in memory that threads share. */
export interface SharedIndex {
  readonly room: number;
  readonly starts: Int32Array;
  readonly entries: Int32Array;
}

/**
 * For each feature the records that have it, in compressed rows: an inverted index (Zobel and
 * Moffat, 2006). A record's candidates are the ones that share its rarest features, each counted
 * by its rarity (Spärck Jones, 1972), under a budget of entries. Nothing that shares only common
 * features with it is ever compared.
 */
export class CandidateIndex {
  private readonly room: number;
  private starts: Int32Array;
  private entries: Int32Array;
  private readonly own: RecordFeatures;
  private readonly sums: Uint16Array;
  private touched: Int32Array;
  private readonly budget: number;
  private readonly order = new Float64Array(MOST_FEATURES);
  private readonly weights: Uint16Array;
  private readonly bins = new Int32Array(BINS);
  private readonly pool: Int32Array;
  private readonly whole = new Uint16Array(POOL);
  private readonly ranks: Int32Array;
  private readonly numbers = Int32Array.from({ length: POOL }, (_, i) => i);
  private readonly marks: Uint16Array;
  /** The candidates that were found last, the best not first. */
  readonly found: Int32Array;

  constructor(
    readonly known: MatchTable,
    private readonly most: number,
    made?: SharedIndex,
  ) {
    // Several fields tell records apart by their rare features alone.
    this.pool = new Int32Array(known.values.length > 2 ? most : Math.max(most, POOL));
    this.budget = budgetFor(known.length);
    this.touched = new Int32Array(this.budget * 2);
    let room = made?.room ?? LEAST_ROOM;
    while (!made && room < MOST_ROOM && room < known.length * ROOM) room *= 2;
    this.room = room;
    this.own = new RecordFeatures(known.values, room);
    [this.starts, this.entries] = made ? [made.starts, made.entries] : this.rows();
    const rarity = Math.log2(known.length + 1);
    this.weights = Uint16Array.from({ length: WEIGHTS }, (_, n) =>
      Math.max(1, Math.round(12 * (rarity - Math.log2(n || 1)))),
    );
    this.sums = new Uint16Array(known.length);
    this.found = new Int32Array(most);
    this.ranks = new Int32Array(most);
    this.marks = new Uint16Array(MARKED + 1);
  }

  /** Where each feature's records begin, and the records. */
  private rows(): [Int32Array, Int32Array] {
    const { known, own, room } = this;
    const starts = new Int32Array(room + 1);
    // Reading features takes longer than keeping them: for not too many records they are read once.
    const keep = known.length <= MOST_KEPT;
    let kept = new Int32Array(keep ? known.length * USUAL_FEATURES : 0);
    const counts = new Uint16Array(keep ? known.length : 0);
    let have = 0;
    for (let r = 0; r < known.length; r++) {
      own.read(known, r);
      for (let i = 0; i < own.count; i++) starts[own.list[i]! + 1]!++;
      if (!keep) continue;
      if (have + own.count > kept.length) {
        const grown = new Int32Array(Math.max(have + own.count, kept.length * 2));
        grown.set(kept);
        kept = grown;
      }
      kept.set(own.list.subarray(0, own.count), have);
      counts[r] = own.count;
      have += own.count;
    }
    for (let i = 0; i < room; i++) starts[i + 1]! += starts[i]!;
    const at = starts.slice(0, room);
    const entries = new Int32Array(starts[room]!);
    let from = 0;
    for (let r = 0; r < known.length; r++) {
      if (!keep) own.read(known, r);
      const [list, count] = keep ? [kept, counts[r]!] : [own.list, own.count];
      for (let i = from; i < from + count; i++) entries[at[list[i]!]!++] = r;
      if (keep) from += count;
    }
    return [starts, entries];
  }

  /** Moves the rows to memory that threads share. */
  share(): SharedIndex {
    this.starts = inSharedMemory(this.starts);
    this.entries = inSharedMemory(this.entries);
    return { room: this.room, starts: this.starts, entries: this.entries };
  }

  /** How much a feature that so many records have counts. */
  private weightOf(n: number): number {
    return n < WEIGHTS ? this.weights[n]! : 1;
  }

  /**
   * Finds the records of the known table that may be the same as a record; returns how many,
   * `found` has their numbers. Only those below `before` are looked at.
   */
  find(table: MatchTable, record: number, before = this.known.length): number {
    const { own, starts, entries, sums, bins, known } = this;
    own.read(table, record);
    const { budget } = this;
    const past = before < known.length ? before : known.length;
    // The rarest first, those past the budget not at all, unless there is nothing else. A number holds
    // how many records a feature has, and which of the record's features it is.
    let kept = 0;
    let rarest = -1;
    for (let i = 0; i < own.count; i++) {
      const feature = own.list[i]!;
      const n = starts[feature + 1]! - starts[feature]!;
      if (n === 0) continue;
      if (n <= budget) this.order[kept++] = n * MOST_FEATURES + i;
      else if (rarest < 0 || n * MOST_FEATURES + i < rarest) rarest = n * MOST_FEATURES + i;
    }
    if (kept === 0 && rarest >= 0) this.order[kept++] = rarest;
    const order = this.order.subarray(0, kept);
    order.sort();
    let touched = 0;
    let looked = 0;
    for (let k = 0; k < kept; k++) {
      const key = order[k]!;
      const n = Math.floor(key / MOST_FEATURES);
      const feature = own.list[key - n * MOST_FEATURES]!;
      if (looked + n > budget && looked > 0 && n > RARE) break;
      const weight = this.weightOf(n);
      const start = starts[feature]!;
      const end = starts[feature + 1]!;
      const need = touched + n;
      if (need > this.touched.length) {
        const grown = new Int32Array(need * 2);
        grown.set(this.touched);
        this.touched = grown;
      }
      const list = this.touched;
      for (let i = start; i < end; i++) {
        const r = entries[i]!;
        if (r >= past) break;
        const sum = sums[r]!;
        if (sum === 0) list[touched++] = r;
        // Long texts have many features: a sum that came round to nothing would count its record twice.
        sums[r] = Math.min(0xffff, sum + weight);
        looked++;
      }
    }
    const list = this.touched;
    const { pool } = this;
    const pooled = keepHighest(list, touched, sums, pool, bins);
    if (pooled > this.most) {
      // The sums so far are of the rarest features alone: the rest are looked up the other way round,
      // from the record to its features.
      const { marks } = this;
      for (let i = 0; i < own.count; i++) {
        const feature = own.list[i]!;
        const n = starts[feature + 1]! - starts[feature]!;
        if (n > 0) marks[feature & MARKED] = this.weightOf(n);
      }
      for (let i = 0; i < pooled; i++) {
        const r = pool[i]!;
        let whole = 0;
        for (let f = 0; f < known.values.length; f++) {
          const value = known.column(f)[r]!;
          const { featureStarts, featureList } = known.values[f]!;
          const end = featureStarts[value + 1]!;
          for (let j = featureStarts[value]!; j < end; j++) whole += marks[featureList[j]! & MARKED]!;
        }
        // What both rough looks say stays counted by the first sum.
        this.whole[i] = Math.min(0xffff, whole + (sums[r]! >> 1));
      }
      for (let i = 0; i < own.count; i++) marks[own.list[i]! & MARKED] = 0;
    }
    for (let i = 0; i < touched; i++) sums[list[i]!] = 0;
    const { found } = this;
    if (pooled <= this.most) {
      found.set(pool.subarray(0, pooled));
      return pooled;
    }
    const { ranks, whole } = this;
    const chosen = keepHighest(this.numbers, pooled, whole, ranks, bins);
    for (let i = 0; i < chosen; i++) found[i] = pool[ranks[i]!]!;
    return chosen;
  }
}

/** Puts those of a list that are rated highest into `to`, as many as it has room for; gives how many. Of equals, the earlier ones. */
function keepHighest(list: Int32Array, count: number, rates: Uint16Array, to: Int32Array, bins: Int32Array): number {
  if (count <= to.length) {
    for (let i = 0; i < count; i++) to[i] = list[i]!;
    return count;
  }
  // Only as many bins as are needed: most rates are low.
  let highest = 0;
  for (let i = 0; i < count; i++) {
    const bin = rates[list[i]!]! >> RATE_BITS;
    bins[bin]!++;
    if (bin > highest) highest = bin;
  }
  let above = 0;
  let least = highest;
  while (above + bins[least]! <= to.length) above += bins[least--]!;
  bins.fill(0, 0, highest + 1);
  let n = 0;
  let level = to.length - above;
  for (let i = 0; i < count; i++) {
    const bin = rates[list[i]!]! >> RATE_BITS;
    if (bin > least || (bin === least && level-- > 0)) to[n++] = list[i]!;
  }
  return n;
}
