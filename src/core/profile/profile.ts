import { findKeys, type KeyCandidate } from "./keys.ts";
import type { Block } from "../kernel/block.ts";
import { textOf, utf8 } from "../kernel/bytes.ts";
import { Repeats, type Spill } from "../check/repeats.ts";
import { finishHash, hash32, hashWords, startHash, type Hash } from "../kernel/hash.ts";
import { MONTHS, daysIn } from "../type/calendar.ts";
import { CountedValues, KEPT_BYTES, type CountedValue } from "./counted-values.ts";
import { Distinct } from "../kernel/distinct.ts";
import { KindFold, type KindFacts } from "./kinds.ts";
import { yesAndNo } from "../type/yes-no.ts";
import { newCellShape, scanShape, shapeText, type CellShape } from "./shape.ts";

export const PROFILE_FORMAT = "good-sieve/profile@1";

/** Words that people write where there is nothing to write. */
export const NOTHING_WORDS = [
  "?",
  "-",
  "--",
  "n/a",
  "na",
  "null",
  "none",
  "nil",
  "unknown",
  "not known",
  "tbd",
  "#n/a",
  "(null)",
  ".",
];
const NOTHING = new Set(NOTHING_WORDS);
/** Values that the quantiles and the spread of shapes rest on. */
const SAMPLE = 4096;
const MOST_SHAPES = 400;
/** Records that are shown to be alike with an earlier one. */
const MOST_DUPLICATES = 10;
const POWERS = Float64Array.from({ length: 20 }, (_, i) => 10 ** i);
/** Records over which columns are compared with each other, and columns of few values that take part. */
const PAIRED_RECORDS = 65_536;
const PAIRED_COLUMNS = 10;

/** What a type candidate is called, and how many of the filled values fit it. */
export interface TypeCandidate {
  readonly type:
    | "integer"
    | "decimal"
    | "decimal comma"
    | "boolean"
    | "timestamp"
    | "UUID"
    | "JSON"
    | "written date"
    | "written number"
    | `date ${string}`
    | `time ${string}`;
  readonly fits: number;
}

export interface NumberFacts {
  readonly count: number;
  readonly least: number;
  readonly most: number;
  readonly mean: number;
  /** Standard deviation. */
  readonly spread: number;
  /** At 0, 5, 25, 50, 75, 95 and 100 %. */
  readonly quantiles: readonly number[];
  /** The quantiles come from this many values; all of them when it is `count`. */
  readonly sampled: number;
  /** Counts in equal bands from the least to the most. */
  readonly bands: readonly number[];
  /** Values beyond three times the middle half from its ends (Tukey, 1977); estimated where sampled. */
  readonly outliers: number;
  /** What lies beyond these is far out; absent where nothing does. */
  readonly fences?: readonly [number, number];
  readonly extremes: { readonly low: readonly CountedValue[]; readonly high: readonly CountedValue[] };
  /** Most digits before and after the point. */
  readonly whole: number;
  readonly part: number;
  /** A number with more than one digit begins with 0: it is a code and no number. */
  readonly leadingZeros: number;
  /** Numbers of one to three digits, a point (or a comma) and three more: they may be thousands. */
  readonly pointThousands?: number;
  /** Most digits of a number without a mark. */
  readonly unmarked?: number;
  readonly commaThousands?: number;
}

export interface ColumnProfile {
  readonly name: string;
  /** Records that could be read. */
  readonly records: number;
  readonly filled: number;
  readonly empty: number;
  /** Nothing but white space. */
  readonly blank: number;
  /** Words that mean nothing, as they are written. */
  readonly nothing: readonly CountedValue[];
  readonly distinct: number;
  /** Exact, or estimated with this standard error. */
  readonly distinctError: number;
  /** Values that an earlier record has too; null where it was not followed to the end. */
  readonly repeats: number | null;
  readonly length: { readonly least: number; readonly most: number; readonly mean: number };
  readonly least: string;
  readonly most: string;
  readonly shapes: readonly (CountedValue & { readonly example: string })[];
  readonly otherShapes: number;
  readonly common: readonly CountedValue[];
  readonly rare: readonly CountedValue[];
  /** Counts of common values may fall short by this. */
  readonly countError: number;
  readonly types: readonly TypeCandidate[];
  readonly numbers: NumberFacts | null;
  readonly loose: number;
  readonly doubled: number;
  readonly casing: { readonly upper: number; readonly lower: number; readonly mixed: number };
  /** Dates that could be read with the day or the month first, and those that fit only one. */
  /** Days that programs put where they know none, as they are written. */
  readonly defaultDates?: readonly CountedValue[];
  /** Days after the one on which the delivery came, however day and month are read. */
  readonly future?: number;
  /** Different values that are the same as a more frequent one but for case; where all of them are known. */
  readonly caseTwins?: number;
  /** What values are that are neither plain numbers nor dates in digits; absent in profiles of before. */
  readonly kinds?: KindFacts | null;
  readonly dateOrders: { readonly dayFirst: number; readonly monthFirst: number; readonly either: number } | null;
}

/** Every value of one column goes with one value of the other, in the records that were compared. */
export interface Determines {
  readonly column: string;
  readonly other: string;
}

export interface Profile {
  readonly format: typeof PROFILE_FORMAT;
  readonly records: number;
  readonly unreadable: number;
  readonly columns: readonly ColumnProfile[];
  readonly determines: readonly Determines[];
  /** Records over which columns were compared with each other. */
  readonly compared: number;
  /** Records that are alike in all columns with an earlier one, and the first of them; absent in profiles of before. */
  readonly duplicates?: {
    readonly count: number;
    /** By their numbers in the delivery, from 1. */
    readonly some: readonly { readonly record: number; readonly of: number }[];
  };
  /** Columns that together tell one record from another, where no column does by itself. */
  readonly keys?: readonly KeyCandidate[];
}

/** Characters that a value of a key has at most. */
const LONGEST_KEY = 64;

/** Whether a column may be a key by itself: filled, and hardly a value given twice. */
export function mayBeKey(column: ColumnProfile): boolean {
  return (
    column.repeats !== null &&
    column.filled >= column.records * 0.99 &&
    column.filled > 1 &&
    column.repeats <= column.filled * 0.01 &&
    column.length.most <= LONGEST_KEY
  );
}

/** Orders in which a date's numbers may stand, by the mark between them. */
const MARKS = [45, 46, 47, 32];

/** A day as one number that orders days: 20260531. */
const dayNumber = (year: number, month: number, day: number): number => year * 10_000 + month * 100 + day;

/** Days that programs put where they know none: the first and last ones that they can say, and the beginnings of their counts. */
const DEFAULT_DAYS: ReadonlySet<number> = new Set([
  10101, 10102, 17530101, 18991230, 18991231, 19000101, 19000102, 19010101, 19040101, 19691231, 19700101, 19800101,
  20380119, 20991231, 21000101, 29991231, 99991231,
]);

class ColumnFold {
  /** Of the value at hand, the day that it is. */
  private day = 0;

  /** @param today the day after which days are in the future */
  constructor(private readonly today: number) {}

  filled = 0;
  blank = 0;
  readonly nothing = new Map<string, { count: number; first: number }>();
  values = new CountedValues();
  readonly distinct = new Distinct();
  readonly shapes = new Map<number, { hash: number; count: number; first: number; example: string }>();
  /** That of the value before, which the next mostly has too. */
  private shape: { hash: number; count: number } | null = null;
  otherShapes = 0;
  lengths = 0;
  shortest = Infinity;
  longest = 0;
  least: Uint8Array | null = null;
  most: Uint8Array | null = null;
  loose = 0;
  doubled = 0;
  upper = 0;
  lower = 0;
  mixed = 0;
  integers = 0;
  decimals = 0;
  commas = 0;
  timestamps = 0;
  leadingZeros = 0;
  whole = 0;
  part = 0;
  numbers = 0;
  mean = 0;
  squares = 0;
  smallest = Infinity;
  largest = -Infinity;
  readonly low: { n: number; first: number }[] = [];
  readonly high: { n: number; first: number }[] = [];
  /** Numbers of values that were counted before they were measured. */
  readonly weighed: { n: number; times: number }[] = [];
  sample: number[] = [];
  stride = 1;
  deferred = true;
  /** By mark: dates that fit year first, day first, month first, and either of these. */
  readonly dates = new Map<string, number>();
  either = 0;
  pointThousands = 0;
  /** Most digits of a number without a mark. */
  unmarked = 0;
  commaThousands = 0;
  readonly kinds = new KindFold();
  readonly defaults = new Map<string, { count: number; first: number }>();
  future = 0;
  repeats: Repeats | null = null;
  suspected = 0;

  /**
   * Takes a cell that is not empty. While every different value is known, a value is only counted:
   * what it looks like is measured once for all its records, when the fold ends or there are too many.
   */
  add(bytes: Uint8Array, view: DataView, start: number, end: number, record: number, shape: CellShape): number {
    const hash = hash32(view, start, end);
    if (this.deferred) {
      if (this.values.bump(hash)) return hash;
      if (!this.values.full && end - start <= KEPT_BYTES) {
        this.values.add(hash, bytes, start, end, record);
        return hash;
      }
      this.measureKept(shape);
      this.deferred = false;
    }
    if (this.measure(bytes, start, end, record, 1, shape)) {
      this.distinct.addHash(hash);
      this.values.add(hash, bytes, start, end, record);
    }
    return hash;
  }

  /** Measures the values that were only counted so far. */
  measureKept(shape: CellShape): void {
    const before = this.values;
    const kept = new CountedValues();
    before.each((text, count, first) => {
      const bytes = utf8(text);
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
      const hash = hash32(view, 0, bytes.length);
      if (!this.measure(bytes, 0, bytes.length, first, count, shape)) return;
      this.distinct.addHash(hash);
      kept.add(hash, bytes, 0, bytes.length, first, count);
    });
    this.values = kept;
  }

  /** False for what is blank or a word that means nothing. */
  private measure(
    bytes: Uint8Array,
    start: number,
    end: number,
    record: number,
    times: number,
    shape: CellShape,
  ): boolean {
    scanShape(bytes, start, end, shape);
    if (shape.blanks === shape.length) {
      this.blank += times;
      return false;
    }
    if (shape.length <= 9 && this.isNothing(bytes, start, end, record, times)) return false;
    this.filled += times;
    const known = this.shape?.hash === shape.hash ? this.shape : this.shapes.get(shape.hash);
    if (known) {
      known.count += times;
      this.shape = known;
    } else if (this.shapes.size < MOST_SHAPES) {
      const example = textOf(bytes, start, Math.min(end, start + 200));
      this.shapes.set(shape.hash, { hash: shape.hash, count: times, first: record, example });
    } else this.otherShapes += times;
    this.lengths += shape.length * times;
    if (shape.length < this.shortest) this.shortest = shape.length;
    if (shape.length > this.longest) this.longest = shape.length;
    if (shape.loose) this.loose += times;
    if (shape.blanks > 1 && hasDoubleBlank(bytes, start, end)) this.doubled += times;
    if (shape.upper > 0 || shape.lower > 0) {
      if (shape.lower === 0) this.upper += times;
      else if (shape.upper === 0) this.lower += times;
      else this.mixed += times;
    }
    this.least = lesser(this.least, bytes, start, end, -1);
    this.most = lesser(this.most, bytes, start, end, 1);
    const plain =
      shape.upper === 0 && shape.lower === 0 && shape.digits > 0 && this.addNumber(bytes, start, end, record, times);
    if (!plain) this.kinds.add(bytes, start, end, shape, times);
    if (shape.groups >= 3 || (shape.groups === 2 && shape.lower > 0)) {
      this.day = 0;
      this.addDate(bytes, start, end, times, shape);
      if (this.day > this.today) this.future += times;
      if (DEFAULT_DAYS.has(this.day)) this.noteDefault(textOf(bytes, start, end).trim().slice(0, 10), record, times);
    }
    return true;
  }

  private noteDefault(text: string, record: number, times: number): void {
    const known = this.defaults.get(text);
    if (known) known.count += times;
    else if (this.defaults.size < 20) this.defaults.set(text, { count: times, first: record });
  }

  private isNothing(bytes: Uint8Array, start: number, end: number, record: number, times: number): boolean {
    const first = bytes[start]!;
    // Digits are never such a word, and they are most of what is short.
    if (first >= 48 && first <= 57) return false;
    const word = textOf(bytes, start, end).trim();
    if (!NOTHING.has(word.toLowerCase())) return false;
    const known = this.nothing.get(word);
    if (known) known.count += times;
    else this.nothing.set(word, { count: times, first: record });
    return true;
  }

  /** False for what is no number in plain digits. */
  private addNumber(bytes: Uint8Array, start: number, end: number, record: number, times: number): boolean {
    let s = start;
    let e = end;
    while (s < e && bytes[s]! <= 32) s++;
    while (e > s && bytes[e - 1]! <= 32) e--;
    const sign = bytes[s] === 45 || bytes[s] === 43 ? 1 : 0;
    const from = s + sign;
    let point = -1;
    let comma = -1;
    for (let p = from; p < e; p++) {
      const b = bytes[p]!;
      if (b === 46) {
        if (point >= 0 || comma >= 0) return false;
        point = p;
      } else if (b === 44) {
        if (comma >= 0 || point >= 0) return false;
        comma = p;
      } else if (b < 48 || b > 57) return false;
    }
    const mark = point >= 0 ? point : comma;
    const whole = (mark >= 0 ? mark : e) - from;
    const part = mark >= 0 ? e - mark - 1 : 0;
    if (whole === 0 && part === 0) return false;
    if (part === 3 && whole <= 3 && bytes[from] !== 48) {
      if (point >= 0) this.pointThousands += times;
      else this.commaThousands += times;
    }
    if (whole > 1 && bytes[from] === 48) this.leadingZeros += times;
    if (whole > this.whole) this.whole = whole;
    if (part > this.part) this.part = part;
    if (comma >= 0) this.commas += times;
    else if (point >= 0) this.decimals += times;
    else {
      this.integers += times;
      if (whole > this.unmarked) this.unmarked = whole;
    }
    let n = 0;
    for (let p = from; p < e; p++) if (p !== mark) n = n * 10 + bytes[p]! - 48;
    n /= part < POWERS.length ? POWERS[part]! : 10 ** part;
    if (sign === 1 && bytes[s] === 45) n = -n;
    // Mean and spread in one pass (West, 1979).
    this.numbers += times;
    const delta = n - this.mean;
    this.mean += (delta * times) / this.numbers;
    this.squares += times * delta * (n - this.mean);
    if (n < this.smallest) this.smallest = n;
    if (n > this.largest) this.largest = n;
    keepExtreme(this.low, n, record, -1);
    keepExtreme(this.high, n, record, 1);
    if (this.deferred) {
      this.weighed.push({ n, times });
      return true;
    }
    // One record in so many: every one is as likely as any other, without randomness.
    if (mixed(record) % this.stride !== 0) return true;
    this.sample.push(n);
    if (this.sample.length < SAMPLE * 2) return true;
    this.sample = this.sample.filter((_, i) => i % 2 === 0);
    this.stride *= 2;
    return true;
  }

  private addDate(bytes: Uint8Array, start: number, end: number, times: number, shape: CellShape): void {
    if (shape.groups === 2) {
      const text = textOf(bytes, start, end).trim();
      const match = /^(\d{1,2})[ .-]?\s?([a-z]{3,9})[ .,-]+(\d{4})$/i.exec(text);
      if (!match) return;
      const word = match[2]!.toLowerCase();
      const month = MONTHS.findIndex((m) => m === word || m.slice(0, 3) === word);
      if (month < 0 || Number(match[1]) > daysIn(Number(match[3]), month + 1)) return;
      const long = word.length > 3 || word === "may";
      this.tell(text.includes(" ") ? (long && word !== "may" ? "d MMMM yyyy" : "d MMM yyyy") : "d-MMM-yyyy", times);
      return;
    }
    const { a, b, c } = shape;
    const s = start + (bytes[start]! <= 32 ? 1 : 0);
    let p = s;
    while (p < end && bytes[p]! >= 48 && bytes[p]! <= 57) p++;
    const first = p - s;
    const mark = bytes[p]!;
    if (first === 0 || !MARKS.includes(mark)) return;
    let q = p + 1;
    while (q < end && bytes[q]! >= 48 && bytes[q]! <= 57) q++;
    const second = q - p - 1;
    if (bytes[q] !== mark || second === 0 || second > 2) return;
    let r = q + 1;
    while (r < end && bytes[r]! >= 48 && bytes[r]! <= 57) r++;
    const third = r - q - 1;
    const m = String.fromCharCode(mark);
    if (first === 4 && third <= 2) {
      if (b < 1 || b > 12 || c < 1 || c > daysIn(a, b)) return;
      this.day = dayNumber(a, b, c);
      if (r === end) this.tell(first + second + third === 8 ? `yyyy${m}MM${m}dd` : `yyyy${m}M${m}d`, times);
      else if ((bytes[r] === 84 || bytes[r] === 32) && shape.groups >= 5) this.timestamps += times;
      return;
    }
    if (third !== 4 || first > 2 || r !== end) return;
    const dayFirst = b >= 1 && b <= 12 && a >= 1 && a <= daysIn(c, b);
    const monthFirst = a >= 1 && a <= 12 && b >= 1 && b <= daysIn(c, a);
    const two = first === 2 && second === 2;
    if (dayFirst) this.tell(two ? `dd${m}MM${m}yyyy` : `d${m}M${m}yyyy`, times);
    if (monthFirst) this.tell(two ? `MM${m}dd${m}yyyy` : `M${m}d${m}yyyy`, times);
    // What can be read in two ways is in the future only if it is so in both.
    this.day = Math.min(dayFirst ? dayNumber(c, b, a) : Infinity, monthFirst ? dayNumber(c, a, b) : Infinity);
    if (dayFirst && monthFirst && a !== b) this.either += times;
  }

  private tell(format: string, times: number): void {
    this.dates.set(format, (this.dates.get(format) ?? 0) + times);
  }
}

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
      let number = this.number.get(name);
      if (number === undefined) {
        number = this.names.push(name) - 1;
        this.number.set(name, number);
        this.columns.push(new ColumnFold(this.today));
        if (number < 64) this.paired.push(new Int32Array(PAIRED_RECORDS));
      }
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
    const columns = this.columns.map((fold, c) => this.column(fold, this.names[c]!));
    return {
      format: PROFILE_FORMAT,
      records: this.records,
      unreadable: this.unreadable,
      columns,
      determines: this.determines(columns),
      compared: Math.min(this.records, PAIRED_RECORDS),
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

  private column(fold: ColumnFold, name: string): ColumnProfile {
    if (fold.deferred) fold.measureKept(this.shape);
    const estimate = fold.distinct.finish();
    const exact = fold.values.exact;
    let repeats: number | null = exact ? fold.filled - fold.values.different : null;
    if (!exact && fold.repeats) {
      repeats = 0;
      for (const found of fold.repeats.resolve()) repeats += found.length;
    }
    const ordered = fold.values.ordered();
    const shapes = [...fold.shapes.values()].sort((a, b) => b.count - a.count);
    const nothing = [...fold.nothing].map(([value, { count, first }]) => ({ value, count, first }));
    const readable = this.records - this.unreadable;
    const empty = readable - fold.filled - fold.blank - nothing.reduce((n, w) => n + w.count, 0);
    const date = (order: RegExp): number =>
      [...fold.dates].filter(([f]) => order.test(f)).reduce((n, [, count]) => n + count, 0);
    const dayFirst = date(/^d/);
    const monthFirst = date(/^M{1,2}[^M]/);
    const kinds = fold.kinds.finish();
    return {
      name,
      records: readable,
      filled: fold.filled,
      empty,
      blank: fold.blank,
      nothing: nothing.sort((a, b) => b.count - a.count),
      distinct: exact ? fold.values.different : repeats !== null ? fold.filled - repeats : estimate.count,
      distinctError: exact || repeats !== null ? 0 : 0.016,
      repeats,
      length: {
        least: fold.filled === 0 ? 0 : fold.shortest,
        most: fold.longest,
        mean: fold.filled === 0 ? 0 : fold.lengths / fold.filled,
      },
      least: fold.least ? textOf(fold.least, 0, fold.least.length) : "",
      most: fold.most ? textOf(fold.most, 0, fold.most.length) : "",
      shapes: shapes
        .slice(0, 12)
        .map((s) => ({ value: shapeText(s.example), count: s.count, first: s.first, example: s.example })),
      otherShapes: fold.otherShapes + shapes.slice(12).reduce((n, s) => n + s.count, 0),
      common: (exact ? ordered : ordered.filter((v) => v.count > fold.values.short + 1)).slice(0, 60),
      rare: exact ? ordered.slice(60).slice(-20).reverse() : [],
      countError: fold.values.short,
      types: this.types(fold, ordered, kinds),
      numbers: fold.numbers > 0 ? numberFacts(fold) : null,
      loose: fold.loose,
      doubled: fold.doubled,
      casing: { upper: fold.upper, lower: fold.lower, mixed: fold.mixed },
      defaultDates: [...fold.defaults].map(([value, own]) => ({ value, ...own })).sort((a, b) => b.count - a.count),
      future: fold.future,
      ...(exact ? { caseTwins: caseTwins(ordered) } : {}),
      kinds,
      dateOrders: dayFirst + monthFirst > 0 ? { dayFirst, monthFirst, either: fold.either } : null,
    };
  }

  private types(fold: ColumnFold, ordered: readonly CountedValue[], kinds: KindFacts | null): TypeCandidate[] {
    const found: TypeCandidate[] = [];
    const add = (type: TypeCandidate["type"], fits: number): void => {
      if (fits > 0) found.push({ type, fits });
    };
    if (fold.values.exact && fold.values.different <= 8) add("boolean", booleans(ordered));
    add("integer", fold.integers);
    if (fold.decimals > 0) add("decimal", fold.integers + fold.decimals);
    if (fold.commas > 0) add("decimal comma", fold.integers + fold.commas);
    add("timestamp", fold.timestamps);
    for (const [format, fits] of fold.dates) add(`date ${format}`, fits);
    if (kinds) {
      add("UUID", kinds.uuids);
      add("JSON", kinds.json);
      for (const { word, count } of kinds.times) add(`time ${word}`, count);
      add("written date", kinds.dates?.count ?? 0);
      const { point = 0, comma = 0 } = kinds.written ?? {};
      if (Math.max(point, comma) > 0)
        add("written number", fold.integers + Math.max(point + fold.decimals, comma + fold.commas));
    }
    return found.sort((a, b) => b.fits - a.fits);
  }

  private determines(columns: readonly ColumnProfile[]): Determines[] {
    const records = Math.min(this.records, PAIRED_RECORDS);
    const few = columns
      .map((column, c) => ({ column, c }))
      .filter(({ column, c }) => this.paired[c] && column.distinct > 1 && column.distinct < Math.min(2000, records / 4))
      .slice(0, PAIRED_COLUMNS);
    const found: Determines[] = [];
    for (const x of few) {
      for (const y of few) {
        if (x === y || y.column.distinct > x.column.distinct) continue;
        const goesWith = new Map<number, number>();
        const [a, b] = [this.paired[x.c]!, this.paired[y.c]!];
        let holds = true;
        let met = 0;
        for (let r = 0; r < records && holds; r++) {
          if (a[r] === 0 || b[r] === 0) continue;
          const known = goesWith.get(a[r]!);
          if (known === undefined) goesWith.set(a[r]!, b[r]!);
          else {
            met++;
            holds = known === b[r];
          }
        }
        if (holds && met > goesWith.size * 2) found.push({ column: x.column.name, other: y.column.name });
      }
    }
    return found;
  }
}

/** Values that are words for yes or no; of one language, or of none, if all but a few are. */
function booleans(ordered: readonly CountedValue[]): number {
  const words = ordered.map((v) => ({ word: v.value.trim().toLowerCase(), count: v.count }));
  const all = words.reduce((n, w) => n + w.count, 0);
  const often = words.filter((w) => w.count >= all * 0.02);
  const found = yesAndNo([...new Set(often.map((w) => w.word))]);
  const known = new Set(found ? [...found.yes, ...found.no] : "true false yes no y n t f 0 1".split(" "));
  return words.filter((w) => known.has(w.word)).reduce((n, w) => n + w.count, 0);
}

/** How many values are the same as a more frequent one but for the case of their letters. */
function caseTwins(ordered: readonly CountedValue[]): number {
  const seen = new Set<string>();
  let twins = 0;
  for (const { value } of ordered) {
    const plain = value.trim().toLowerCase();
    if (seen.has(plain) && value.trim() !== "") twins++;
    seen.add(plain);
  }
  return twins;
}

function numberFacts(fold: ColumnFold): NumberFacts {
  // A sampled record stands for as many as the stride passed over.
  const sorted = [...fold.weighed, ...fold.sample.map((n) => ({ n, times: fold.stride }))].sort((a, b) => a.n - b.n);
  const weight = sorted.reduce((sum, s) => sum + s.times, 0);
  const at = (share: number): number => {
    let before = 0;
    for (const { n, times } of sorted) {
      before += times;
      if (before >= share * weight) return n;
    }
    return sorted.at(-1)!.n;
  };
  const quantiles = [0, 0.05, 0.25, 0.5, 0.75, 0.95, 1].map(at);
  quantiles[0] = fold.smallest;
  quantiles[6] = fold.largest;
  const [, , q1, , q3] = quantiles as [number, number, number, number, number];
  const far = 3 * (q3 - q1);
  const bands = new Array<number>(24).fill(0);
  const width = (fold.largest - fold.smallest) / bands.length || 1;
  for (const { n, times } of sorted) {
    bands[Math.min(bands.length - 1, Math.floor((n - fold.smallest) / width))]! += times;
  }
  const shown = (list: { n: number; first: number }[]): CountedValue[] =>
    list.map(({ n, first }) => ({ value: String(n), count: 1, first }));
  return {
    count: fold.numbers,
    least: fold.smallest,
    most: fold.largest,
    mean: fold.mean,
    spread: fold.numbers > 1 ? Math.sqrt(fold.squares / (fold.numbers - 1)) : 0,
    quantiles,
    sampled: fold.stride === 1 ? fold.numbers : fold.sample.length,
    bands,
    outliers: far > 0 ? sorted.filter(({ n }) => n < q1 - far || n > q3 + far).reduce((sum, s) => sum + s.times, 0) : 0,
    ...(far > 0 ? { fences: [q1 - far, q3 + far] as const } : {}),
    extremes: { low: shown(fold.low), high: shown(fold.high) },
    whole: fold.whole,
    part: fold.part,
    leadingZeros: fold.leadingZeros,
    unmarked: fold.unmarked,
    pointThousands: fold.pointThousands,
    commaThousands: fold.commaThousands,
  };
}

function keepExtreme(list: { n: number; first: number }[], n: number, first: number, sign: number): void {
  if (list.length === 5 && (n - list[4]!.n) * sign <= 0) return;
  if (list.some((e) => e.n === n)) return;
  list.push({ n, first });
  list.sort((a, b) => (b.n - a.n) * sign);
  if (list.length > 5) list.pop();
}

function lesser(known: Uint8Array | null, bytes: Uint8Array, start: number, end: number, sign: number): Uint8Array {
  if (known) {
    const n = Math.min(known.length, end - start);
    let difference = 0;
    for (let i = 0; i < n && difference === 0; i++) difference = bytes[start + i]! - known[i]!;
    if (difference === 0) difference = end - start - known.length;
    if (difference * sign <= 0) return known;
  }
  return bytes.slice(start, Math.min(end, start + 200));
}

function hasDoubleBlank(bytes: Uint8Array, start: number, end: number): boolean {
  for (let p = start + 1; p < end; p++) if (bytes[p] === 32 && bytes[p - 1] === 32) return true;
  return false;
}

function mixed(n: number): number {
  let h = Math.imul(n ^ 0x9e3779b9, 0x85ebca6b);
  h ^= h >>> 13;
  h = Math.imul(h, 0xc2b2ae35);
  return (h ^ (h >>> 16)) >>> 0;
}
