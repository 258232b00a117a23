import { RecordFeatures, type MatchTable } from "./table.ts";

/**
 * Entries of the index that are looked at for one record, at most, as a rule; the rarest features
 * come first. Among more records more are alike by chance, and few fields have few rare features.
 */
function budgetFor(records: number, fields: number): number {
  return Math.round((2_500 + records / 250) * (fields > 2 ? 1 : 2));
}
/** Features with so few records are always looked at. */
const RARE = 24;
const BINS = 4096;
/** How many features an index tells apart, for each record and in all. */
const ROOM = 20;
const LEAST_ROOM = 1 << 16;
const MOST_ROOM = 1 << 23;

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
  private readonly order = new Float64Array(4096);
  private readonly bins = new Int32Array(BINS);
  /** The candidates that were found last, the best not first. */
  found = new Int32Array(256);

  constructor(
    readonly known: MatchTable,
    private readonly most: number,
  ) {
    this.budget = budgetFor(known.length, known.values.length);
    this.touched = new Int32Array(this.budget * 2);
    let room = LEAST_ROOM;
    while (room < MOST_ROOM && room < known.length * ROOM) room *= 2;
    this.room = room;
    const own = (this.own = new RecordFeatures(known.values, room));
    const starts = (this.starts = new Int32Array(room + 1));
    for (let r = 0; r < known.length; r++) {
      own.read(known, r);
      for (let i = 0; i < own.count; i++) starts[own.list[i]! + 1]!++;
    }
    for (let i = 0; i < room; i++) starts[i + 1]! += starts[i]!;
    const at = starts.slice(0, room);
    const entries = (this.entries = new Int32Array(starts[room]!));
    for (let r = 0; r < known.length; r++) {
      own.read(known, r);
      for (let i = 0; i < own.count; i++) entries[at[own.list[i]!]!++] = r;
    }
    this.sums = new Uint16Array(known.length);
    this.found = new Int32Array(most);
  }

  /**
   * Finds the records of the known table that may be the same as a record; returns how many,
   * `found` has their numbers. Only those below `before` are looked at.
   */
  find(table: MatchTable, record: number, before = this.known.length): number {
    const { own, starts, entries, sums, bins, known } = this;
    own.read(table, record);
    const { room, budget } = this;
    const past = before < known.length ? before : known.length;
    // The rarest first. A number holds how many records a feature has, and which feature it is.
    const order = this.order.subarray(0, own.count);
    for (let i = 0; i < own.count; i++) {
      const feature = own.list[i]!;
      order[i] = (starts[feature + 1]! - starts[feature]!) * room + feature;
    }
    order.sort();
    let touched = 0;
    let looked = 0;
    const rarity = Math.log2(known.length + 1);
    for (let k = 0; k < order.length; k++) {
      const key = order[k]!;
      if (key < room) continue;
      const feature = key % room;
      const n = (key - feature) / room;
      if (looked + n > budget && looked > 0 && n > RARE) break;
      const weight = Math.max(1, Math.round(12 * (rarity - Math.log2(n))));
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
        sums[r] = sum + weight;
        looked++;
      }
    }
    const list = this.touched;
    // How high a sum must be for no more than `most` to have it.
    let least = 0;
    if (touched > this.most) {
      bins.fill(0);
      for (let i = 0; i < touched; i++) bins[Math.min(BINS - 1, sums[list[i]!]! >> 2)]!++;
      let n = 0;
      least = BINS - 1;
      while (least > 0 && n + bins[least]! <= this.most) n += bins[least--]!;
      least++;
    }
    let n = 0;
    const { found } = this;
    for (let i = 0; i < touched; i++) {
      const r = list[i]!;
      if (n < this.most && Math.min(BINS - 1, sums[r]! >> 2) >= least) found[n++] = r;
      sums[r] = 0;
    }
    return n;
  }
}
