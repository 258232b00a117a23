import { grown } from "../../kernel/lists.ts";
import { RecordFeatures, type MatchTable } from "./table.ts";

/** Features of one record are told apart by their last sixteen bits, so that all marks stay at hand. */
export const MARKED = 0xffff;
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
export function looksAtAll({ values }: MatchTable): boolean {
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
      if (this.kept && need > this.kept.length) this.kept = grown(this.kept, Math.max(need, this.kept.length * 2));
      if (this.marked && need > this.marked.length)
        this.marked = grown(this.marked, Math.max(need, this.marked.length * 2));
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

/** The rows of an index of all records, in memory of this thread alone. */
export function rowsOf(known: MatchTable): IndexRows {
  const part = new IndexPart(known, 0, known.length);
  const features = part.features((bytes) => new ArrayBuffer(bytes));
  const rows = layOut([part.counts], features, (length) => new Int32Array(length));
  part.fill(rows.entries);
  return rows;
}
