import { Repeats } from "../check/repeats.ts";
import { textOf, utf8 } from "../kernel/bytes.ts";
import { Distinct } from "../kernel/distinct.ts";
import { hash32 } from "../kernel/hash.ts";
import { yesAndNo } from "../type/yes-no.ts";
import { CountedValues, KEPT_BYTES, type CountedValue } from "./counted-values.ts";
import { DayFold } from "./days.ts";
import { ENOUGH } from "./reason.ts";
import type { ColumnProfile, TypeCandidate } from "./facts.ts";
import { KindFold, type KindFacts } from "./kinds.ts";
import { isNothingWord, mayBeNothing } from "./nothing-words.ts";
import { NumberFold } from "./numbers.ts";
import { scanShape, shapeText, type CellShape } from "./shape.ts";

/** Shapes that are told apart; those that come later are counted together. */
const MOST_SHAPES = 400;
/** Shapes that are shown. */
const SHOWN_SHAPES = 12;
/** Bytes that are kept of an example. */
const EXAMPLE_BYTES = 200;

/** All that is told of one column, from every value of it. */
export class ColumnFold {
  filled = 0;
  private blank = 0;
  private readonly nothing = new Map<string, { count: number; first: number }>();
  values = new CountedValues();
  private readonly distinct = new Distinct();
  private readonly shapes = new Map<number, { hash: number; count: number; first: number; example: string }>();
  /** That of the value before, which the next mostly has too. */
  private shape: { hash: number; count: number } | null = null;
  private otherShapes = 0;
  private lengths = 0;
  private shortest = Infinity;
  private longest = 0;
  private least: Uint8Array | null = null;
  private most: Uint8Array | null = null;
  private loose = 0;
  private doubled = 0;
  private upper = 0;
  private lower = 0;
  private mixed = 0;
  private deferred = true;
  private readonly numbers = new NumberFold();
  private readonly days: DayFold;
  /** Numbers of eight digits, which are days where nearly all of them are. */
  private readonly eights: DayFold;
  private readonly kinds = new KindFold();
  /** Follows the values that come again, as long as the column may be a key. */
  repeats: Repeats | null = null;
  suspected = 0;

  /** @param today the day after which days are in the future, as 20260531 */
  constructor(today: number) {
    this.days = new DayFold(today);
    this.eights = new DayFold(today);
  }

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
  private measureKept(shape: CellShape): void {
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
    // Digits are in no such word, and in most of what is short.
    if (shape.digits === 0 && mayBeNothing(shape.length, bytes[start]!, shape.loose)) {
      if (this.isNothing(bytes, start, end, record, times)) return false;
    }
    this.filled += times;
    const known = this.shape?.hash === shape.hash ? this.shape : this.shapes.get(shape.hash);
    if (known) {
      known.count += times;
      this.shape = known;
    } else if (this.shapes.size < MOST_SHAPES) {
      const example = textOf(bytes, start, Math.min(end, start + EXAMPLE_BYTES));
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
      shape.upper === 0 &&
      shape.lower === 0 &&
      shape.digits > 0 &&
      this.numbers.add(bytes, start, end, record, times, this.deferred);
    if (!plain) this.kinds.add(bytes, start, end, shape, times);
    else if (shape.digits === 8 && shape.marks === 0) this.eights.addEight(bytes, start, end, record, times);
    if (shape.groups >= 3 || (shape.groups === 2 && shape.lower > 0)) {
      this.days.add(bytes, start, end, record, times, shape);
    }
    return true;
  }

  private isNothing(bytes: Uint8Array, start: number, end: number, record: number, times: number): boolean {
    const word = textOf(bytes, start, end).trim();
    if (!isNothingWord(word)) return false;
    const known = this.nothing.get(word);
    if (known) known.count += times;
    else this.nothing.set(word, { count: times, first: record });
    return true;
  }

  /** @param readable records that could be read */
  finish(name: string, readable: number, shape: CellShape): ColumnProfile {
    if (this.deferred) this.measureKept(shape);
    const estimate = this.distinct.finish();
    const exact = this.values.exact;
    let repeats: number | null = exact ? this.filled - this.values.different : null;
    if (!exact && this.repeats) {
      repeats = 0;
      for (const found of this.repeats.resolve()) repeats += found.length;
    }
    if (this.eights.days > 0 && this.eights.days + this.days.days >= this.filled * ENOUGH) this.days.join(this.eights);
    const ordered = this.values.ordered();
    const shapes = [...this.shapes.values()].sort((a, b) => b.count - a.count);
    const nothing = [...this.nothing].map(([value, { count, first }]) => ({ value, count, first }));
    const empty = readable - this.filled - this.blank - nothing.reduce((n, w) => n + w.count, 0);
    const kinds = this.kinds.finish();
    return {
      name,
      records: readable,
      filled: this.filled,
      empty,
      blank: this.blank,
      nothing: nothing.sort((a, b) => b.count - a.count),
      distinct: exact ? this.values.different : repeats !== null ? this.filled - repeats : estimate.count,
      distinctError: exact || repeats !== null ? 0 : 0.016,
      repeats,
      length: {
        least: this.filled === 0 ? 0 : this.shortest,
        most: this.longest,
        mean: this.filled === 0 ? 0 : this.lengths / this.filled,
      },
      least: this.least ? textOf(this.least, 0, this.least.length) : "",
      most: this.most ? textOf(this.most, 0, this.most.length) : "",
      shapes: shapes
        .slice(0, SHOWN_SHAPES)
        .map((s) => ({ value: shapeText(s.example), count: s.count, first: s.first, example: s.example })),
      otherShapes: this.otherShapes + shapes.slice(SHOWN_SHAPES).reduce((n, s) => n + s.count, 0),
      common: (exact ? ordered : ordered.filter((v) => v.count > this.values.short + 1)).slice(0, 60),
      rare: exact ? ordered.slice(60).slice(-20).reverse() : [],
      countError: this.values.short,
      types: this.types(ordered, kinds),
      numbers: this.numbers.finish(),
      loose: this.loose,
      doubled: this.doubled,
      casing: { upper: this.upper, lower: this.lower, mixed: this.mixed },
      ...this.days.finish(),
      ...(exact ? { caseTwins: caseTwins(ordered) } : {}),
      kinds,
    };
  }

  private types(ordered: readonly CountedValue[], kinds: KindFacts | null): TypeCandidate[] {
    const { numbers, days } = this;
    const found: TypeCandidate[] = [];
    const add = (type: TypeCandidate["type"], fits: number): void => {
      if (fits > 0) found.push({ type, fits });
    };
    if (this.values.exact && this.values.different <= 8) add("boolean", booleans(ordered));
    add("integer", numbers.integers);
    if (numbers.decimals > 0) add("decimal", numbers.integers + numbers.decimals);
    if (numbers.commas > 0) add("decimal comma", numbers.integers + numbers.commas);
    add("timestamp", days.timestamps);
    for (const [format, fits] of days.moments) add(`timestamp ${format}`, fits);
    for (const [format, fits] of days.formats) add(`date ${format}`, fits);
    add("short year", days.shortYears);
    if (kinds) {
      add("UUID", kinds.uuids);
      add("JSON", kinds.json);
      for (const { word, count } of kinds.times) add(`time ${word}`, count);
      add("written date", kinds.dates?.count ?? 0);
      const { point = 0, comma = 0 } = kinds.written ?? {};
      if (Math.max(point, comma) > 0)
        add("written number", numbers.integers + Math.max(point + numbers.decimals, comma + numbers.commas));
    }
    return found.sort((a, b) => b.fits - a.fits);
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

function lesser(known: Uint8Array | null, bytes: Uint8Array, start: number, end: number, sign: number): Uint8Array {
  if (known) {
    const n = Math.min(known.length, end - start);
    let difference = 0;
    for (let i = 0; i < n && difference === 0; i++) difference = bytes[start + i]! - known[i]!;
    if (difference === 0) difference = end - start - known.length;
    if (difference * sign <= 0) return known;
  }
  return bytes.slice(start, Math.min(end, start + EXAMPLE_BYTES));
}

function hasDoubleBlank(bytes: Uint8Array, start: number, end: number): boolean {
  for (let p = start + 1; p < end; p++) if (bytes[p] === 32 && bytes[p - 1] === 32) return true;
  return false;
}
