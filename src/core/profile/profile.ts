import type { Block } from "../kernel/block.ts";
import { finishHash, hashWords, startHash, type Hash } from "../kernel/hash.ts";
import { Repeats, type Spill } from "../check/repeats.ts";
import { ColumnFold } from "./column.ts";
import { findDetermines } from "./determines.ts";
import { LONGEST_KEY, PROFILE_FORMAT, mayBeKey, type ColumnProfile, type Profile } from "./facts.ts";
import { findKeys, type KeyCandidate } from "./keys.ts";
import { newCellShape } from "./shape.ts";

/** Records that are shown to be alike with an earlier one. */
const MOST_DUPLICATES = 10;
/** Records over which columns are compared with each other. */
const PAIRED_RECORDS = 65_536;

/**
 * Looks at every record of a delivery once. Memory is flat: what it rests on beyond exact counts is
 * said beside each figure.
 */
export class ProfileFold {
  private readonly columns: ColumnFold[] = [];
  private readonly names: string[] = [];
  private readonly number = new Map<string, number>();
  private readonly shape = newCellShape();
  private readonly hash: Hash = { a: 0, b: 0 };
  private records = 0;
  private unreadable = 0;
  private readonly today: number;
  /** Records by all of their cells. */
  private alike: Repeats | null = null;
  /** Hashes of the first records by column, to see which columns determine each other. */
  private readonly paired: Int32Array[] = [];

  constructor(
    private readonly spill: Spill,
    private readonly expected: number,
    day = "9999-12-31",
  ) {
    this.today = Number(day.replaceAll("-", ""));
  }

  /**
   * @param names the columns of the block's file; files of a delivery may differ in columns and their order
   * @param only the columns to look at; all of them unless said
   */
  add(block: Block, names: readonly string[], only?: ReadonlySet<string>): void {
    const { count, width, heap } = block;
    const view = new DataView(heap.bytes.buffer, heap.bytes.byteOffset, heap.bytes.length);
    const seen = { block, view };
    for (let c = 0; c < width; c++) {
      const name = names[c] ?? String(c + 1);
      if (only && !only.has(name)) continue;
      const number = this.numberOf(name);
      const fold = this.columns[number]!;
      const paired = this.paired[number];
      for (let r = 0, i = c; r < count; r++, i += width) {
        const start = block.start[i]!;
        const end = block.end[i]!;
        if (start === end) continue;
        const record = this.records + r;
        const hash = fold.add(heap.bytes, view, start, end, record, this.shape);
        if (paired && record < PAIRED_RECORDS) paired[record] = hash;
        if (fold.repeats) this.follow(fold, seen, r, start, end, record);
      }
      // Only a column without repeats so far can be a key, and only those are followed to the end.
      if (this.records === 0 && count > 1 && fold.values.exact && fold.values.different >= count * 0.9) {
        fold.repeats = new Repeats(this.expected, this.spill);
        for (let r = 0, i = c; r < count; r++, i += width) {
          if (block.start[i] !== block.end[i]) this.follow(fold, seen, r, block.start[i]!, block.end[i]!, r);
        }
      }
    }
    if (!only) this.compareWhole(block, names, view);
    this.records += count;
    this.unreadable += block.unreadable.size;
  }

  /** Takes down the columns of a file, which has them though it may have no record. */
  name(names: readonly string[]): void {
    for (const name of names) this.numberOf(name);
  }

  /** The number of a column, which is a new one where none was called so. */
  private numberOf(name: string): number {
    const known = this.number.get(name);
    if (known !== undefined) return known;
    const number = this.names.push(name) - 1;
    this.number.set(name, number);
    this.columns.push(new ColumnFold(this.today));
    if (number < 64) this.paired.push(new Int32Array(PAIRED_RECORDS));
    return number;
  }

  /** Takes each record as a whole, by its columns in one order, so that one that comes twice is known. */
  private compareWhole(block: Block, names: readonly string[], view: DataView): void {
    const { count, width } = block;
    const order = Array.from({ length: width }, (_, c) => c).sort(
      (a, b) => this.number.get(names[a] ?? String(a + 1))! - this.number.get(names[b] ?? String(b + 1))!,
    );
    const { hash } = this;
    this.alike ??= new Repeats(this.expected, this.spill);
    for (let r = 0; r < count; r++) {
      if (block.unreadable.has(r)) continue;
      startHash(hash);
      for (const c of order) {
        const i = r * width + c;
        hashWords(view, block.start[i]!, block.end[i]!, hash);
      }
      finishHash(hash);
      this.alike.add(hash.a, hash.b, this.records + r, block.file, block.origin.line[r]!);
    }
  }

  /** Records that are alike in all columns with an earlier one. */
  private duplicates(): NonNullable<Profile["duplicates"]> {
    let count = 0;
    const some: { record: number; of: number }[] = [];
    for (const found of this.alike?.resolve() ?? []) {
      count += found.length;
      for (const f of found) some.push({ record: f.record + 1, of: f.first + 1 });
      some.sort((a, b) => a.record - b.record).splice(MOST_DUPLICATES);
    }
    return { count, some };
  }

  private follow(
    fold: ColumnFold,
    { block, view }: { block: Block; view: DataView },
    r: number,
    start: number,
    end: number,
    record: number,
  ): void {
    const { hash } = this;
    startHash(hash);
    hashWords(view, start, end, hash);
    finishHash(hash);
    if (fold.repeats!.add(hash.a, hash.b, record, block.file, block.origin.line[r]!)) fold.suspected++;
    if (fold.suspected > 1000 && fold.suspected > record * 0.2) fold.repeats = null;
  }

  finish(): Profile {
    const readable = this.records - this.unreadable;
    const columns = this.columns.map((fold, c) => fold.finish(this.names[c]!, readable, this.shape));
    const compared = Math.min(this.records, PAIRED_RECORDS);
    return {
      format: PROFILE_FORMAT,
      records: this.records,
      unreadable: this.unreadable,
      columns,
      determines: findDetermines(columns, this.paired, compared),
      compared,
      duplicates: this.duplicates(),
      keys: columns.some(mayBeKey) ? [] : this.keys(columns),
    };
  }

  /** Looked for among columns of codes, names, days and whole numbers; what is measured or described is no key. */
  private keys(columns: readonly ColumnProfile[]): KeyCandidate[] {
    const hashed = columns.flatMap((column, c) => {
      const hashes = this.paired[c];
      const measured = column.numbers !== null && column.numbers.part > 0;
      return hashes && !measured && column.length.most <= LONGEST_KEY ? [{ name: column.name, hashes }] : [];
    });
    return findKeys(hashed, Math.min(this.records, PAIRED_RECORDS));
  }
}
