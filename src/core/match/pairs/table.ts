import { grown } from "../../kernel/lists.ts";
import { comparatorPart } from "../compare/index.ts";
import { bothOf, featuresOf, variantFeature } from "./features.ts";
import { NumberedTexts } from "./numbered-texts.ts";
import { variantsOf, wordsOf, type Variants } from "../normalise.ts";
import type { Compare, Blocking, WordOptions } from "../part.ts";
import { comparatorOptions, mayBeShared, type MatchField } from "../schema.ts";

/** Numbers in memory that threads share, of which so many count. */
export interface SharedNumbers {
  readonly list: Int32Array;
  readonly length: number;
}

/** Numbers that grow as they are put in. */
class Grown {
  list: Int32Array = new Int32Array(1024);
  length = 0;

  /** Moves the numbers to memory that threads share. */
  share(): SharedNumbers {
    this.list = inSharedMemory(this.list.subarray(0, this.length));
    return { list: this.list, length: this.length };
  }

  take({ list, length }: SharedNumbers): void {
    this.list = list;
    this.length = length;
  }

  push(n: number): void {
    if (this.length === this.list.length) this.extend(1);
    else this.length++;
    this.list[this.length - 1] = n;
  }

  /** Makes room for more numbers, to be set. */
  extend(more: number): void {
    this.length += more;
    if (this.length <= this.list.length) return;
    this.list = grown(this.list, Math.max(this.length, this.list.length * 2));
  }

  /** Appends where rows end, of which the first one begins at `begin`. */
  appendRows(begin: number, starts: Int32Array, first: number, past: number): void {
    const shift = begin - starts[first]!;
    for (let i = first + 1; i <= past; i++) this.push(starts[i]! + shift);
  }

  /** Puts in the numbers of a list from one place to before another. */
  append(numbers: Int32Array, from: number, to: number): void {
    const at = this.length - from;
    this.extend(to - from);
    const { list } = this;
    // Mostly a few, which are put over sooner one by one than by asking for a copy of memory.
    for (let i = from; i < to; i++) list[at + i] = numbers[i]!;
  }
}

/** The rows of values from one on: where each begins, counted from the first, and what they hold. */
function rowsFrom(starts: Grown, list: Grown, first: number): [Int32Array, Int32Array] {
  const begin = starts.list[first]!;
  const own = starts.list.slice(first, starts.length);
  for (let i = 0; i < own.length; i++) own[i]! -= begin;
  return [own, list.list.slice(begin, list.length)];
}

/** Numbers in memory that threads share. */
export function sharedNumbers(length: number): Int32Array {
  return new Int32Array(sharedMemory(length * 4));
}

/** Memory that threads share. */
export function sharedMemory(bytes: number): SharedArrayBuffer {
  return new SharedArrayBuffer(bytes);
}

/** The same numbers where other threads can read them. */
function inSharedMemory(list: Int32Array): Int32Array {
  // Never empty, so that what grows by doubling can grow.
  const shared = sharedNumbers(Math.max(1, list.length));
  shared.set(list);
  return shared;
}

/** Texts as they arrive whose numbers are remembered before all are forgotten, for columns of which few differ. */
const MOST_ARRIVING = 4096;

/** The features of a field's different values, for another thread. */
export type SharedValues = readonly SharedNumbers[];

/** Values of a field with their features, in the order of the numbers that another thread gave them. */
export interface NewValues {
  readonly texts: readonly string[];
  /** By value: where its features begin; one more entry than values. */
  readonly starts: Int32Array;
  readonly features: Int32Array;
  readonly coarseStarts: Int32Array;
  readonly coarse: Int32Array;
}

/**
 * The different values of one match field, each with a number. Number 0 is the missing value. Both
 * tables of a comparison share them, so that equal values have equal numbers.
 */
export class Values {
  private readonly numbers = new NumberedTexts();
  readonly texts: readonly string[] = this.numbers.texts;
  /** By value: where its features begin; one more entry than values. */
  private readonly starts = new Grown();
  private readonly features = new Grown();
  private readonly coarseStarts = new Grown();
  private readonly coarse = new Grown();
  /** By text as it arrives: its number. Null once nearly all of them differ, so that nothing is won by it. */
  private arriving: Map<string, number> | null = new Map();
  private met = 0;
  readonly compare: Compare;
  private readonly prepare: (text: string) => string;
  /** Words of the plan's own that mean the same, where the comparator leaves them as they are. */
  private readonly forms: Variants | null;
  readonly levels: readonly number[];
  /** Values that may stand in another such field by mistake. */
  readonly textual: boolean;
  private readonly blocking: Blocking;
  /** Whether records that are not the same may have a value in common because they belong together. */
  readonly shared: boolean;

  constructor(
    readonly field: MatchField,
    private readonly tag: number,
  ) {
    const { by } = field;
    const options = comparatorOptions(field);
    const part = comparatorPart(by);
    this.compare = part.compare(options);
    this.prepare = part.prepare(options);
    this.levels = part.levels;
    // What a plan or a list says of names leads to them too, as what is known of them anyway does.
    const own = (options as WordOptions).variants;
    this.forms = by === "person" && own ? variantsOf([], own) : null;
    this.blocking = part.blocking === "words" && options["as"] === "code" ? "code" : part.blocking;
    this.shared = mayBeShared(field);
    this.textual = this.blocking === "words" && part.levels.length > 2;
    for (const starts of [this.starts, this.coarseStarts]) for (let i = 0; i < 2; i++) starts.push(0);
  }

  /** The number of a value as it arrives. */
  numberOf(text: string): number {
    if (text === "") return 0;
    const { arriving } = this;
    if (!arriving) return this.numberOfPlain(this.prepare(text));
    let n = arriving.get(text);
    if (n !== undefined) {
      this.met++;
      return n;
    }
    if (arriving.size === MOST_ARRIVING) {
      if (this.met < MOST_ARRIVING) this.arriving = null;
      this.met = 0;
      arriving.clear();
    }
    n = this.numberOfPlain(this.prepare(text));
    arriving.set(text, n);
    return n;
  }

  /** The number of a value that was made plain. */
  private numberOfPlain(prepared: string): number {
    const before = this.texts.length;
    const n = this.numbers.of(prepared);
    if (n < before) return n;
    featuresOf(this.blocking, prepared, this.tag, this.features, this.coarse);
    if (this.forms) {
      for (const word of wordsOf(prepared))
        for (const meant of this.forms.get(word) ?? []) this.features.push(variantFeature(meant));
    }
    this.starts.push(this.features.length);
    this.coarseStarts.push(this.coarse.length);
    return n;
  }

  /** The values from a number on, for a table of another thread. */
  from(first: number): NewValues {
    const [starts, features] = rowsFrom(this.starts, this.features, first);
    const [coarseStarts, coarse] = rowsFrom(this.coarseStarts, this.coarse, first);
    return { texts: this.texts.slice(first), starts, features, coarseStarts, coarse };
  }

  /** Takes in values that another thread has made plain; gives the number that each has here. */
  takeIn({ texts, starts, features, coarseStarts, coarse }: NewValues): Int32Array {
    const numbers = new Int32Array(texts.length);
    // Most are new: those after one another are put in together.
    let first = 0;
    const put = (past: number): void => {
      this.starts.appendRows(this.features.length, starts, first, past);
      this.features.append(features, starts[first]!, starts[past]!);
      this.coarseStarts.appendRows(this.coarse.length, coarseStarts, first, past);
      this.coarse.append(coarse, coarseStarts[first]!, coarseStarts[past]!);
    };
    for (let i = 0; i < texts.length; i++) {
      const before = this.texts.length;
      const n = (numbers[i] = this.numbers.of(texts[i]!));
      if (n === before) continue;
      put(i);
      first = i + 1;
    }
    put(texts.length);
    return numbers;
  }

  private get grown(): readonly Grown[] {
    return [this.starts, this.features, this.coarseStarts, this.coarse];
  }

  share(): SharedValues {
    return this.grown.map((g) => g.share());
  }

  /** Takes the values of another thread in place of its own, without their texts: none can be put to them. */
  take(shared: SharedValues): void {
    this.numbers.clear();
    this.arriving?.clear();
    this.grown.forEach((g, i) => g.take(shared[i]!));
  }

  /** Takes the texts, which are needed for comparing. */
  takeTexts(texts: readonly string[]): void {
    this.numbers.take(texts);
  }

  get featureStarts(): Int32Array {
    return this.starts.list;
  }

  get featureList(): Int32Array {
    return this.features.list;
  }

  get coarseStartList(): Int32Array {
    return this.coarseStarts.list;
  }

  get coarseList(): Int32Array {
    return this.coarse.list;
  }
}

/** Records as numbers of values: a column for each match field. */
export class MatchTable {
  readonly columns: Grown[];
  length = 0;

  constructor(readonly values: readonly Values[]) {
    this.columns = values.map(() => new Grown());
  }

  /** Adds a record: for each match field its value, several fields put together with a space. */
  add(cells: readonly string[]): void {
    this.values.forEach((v, f) => this.columns[f]!.push(v.numberOf(cells[f]!)));
    this.length++;
  }

  /** Makes room for records that are set later; gives the first one's number. */
  reserve(count: number): number {
    for (const column of this.columns) column.extend(count);
    this.length += count;
    return this.length - count;
  }

  share(): readonly SharedNumbers[] {
    return this.columns.map((c) => c.share());
  }

  /** Takes the records of another thread's table. */
  take(columns: readonly SharedNumbers[]): void {
    this.columns.forEach((c, f) => c.take(columns[f]!));
    this.length = columns[0]?.length ?? 0;
  }

  /** Takes all records out; the values stay known. */
  clear(): void {
    for (const column of this.columns) column.length = 0;
    this.length = 0;
  }

  /** The numbers of a field's values, at least as many as there are records. */
  column(f: number): Int32Array {
    return this.columns[f]!.list;
  }
}

/** Features of a record at most. */
export const MOST_FEATURES = 4096;

/** Collects the features of a record of a table, each once. */
export class RecordFeatures {
  readonly list = new Int32Array(MOST_FEATURES);
  count = 0;
  /** By place in a hash table: the feature that was met, and for which record. It is small enough to stay at hand. */
  private readonly met = new Int32Array(2 * MOST_FEATURES);
  private readonly turns = new Int32Array(2 * MOST_FEATURES);
  private turn = 0;

  /** `room`: how many features are told apart, a power of two. */
  constructor(
    private readonly values: readonly Values[],
    private readonly room: number,
  ) {}

  private add(feature: number): void {
    const { met, turns, turn } = this;
    const last = met.length - 1;
    let at = (feature ^ (feature >>> 13)) & last;
    while (turns[at] === turn) {
      if (met[at] === feature) return;
      at = (at + 1) & last;
    }
    turns[at] = turn;
    met[at] = feature;
    this.list[this.count++] = feature;
  }

  read(table: MatchTable, record: number): void {
    const { values } = this;
    const mask = this.room - 1;
    this.turn++;
    this.count = 0;
    for (let f = 0; f < values.length; f++) {
      const value = table.column(f)[record]!;
      const { featureStarts, featureList } = values[f]!;
      const end = featureStarts[value + 1]!;
      for (let i = featureStarts[value]!; i < end && this.count < MOST_FEATURES; i++) this.add(featureList[i]! & mask);
    }
    for (let f = 0; f < values.length; f++) {
      const v = values[f]!;
      const a = table.column(f)[record]!;
      const endA = v.coarseStartList[a + 1]!;
      for (let i = v.coarseStartList[a]!; i < endA; i++) {
        // Two words of one value as well as values of two fields.
        for (let g = f; g < values.length; g++) {
          const w = values[g]!;
          const b = table.column(g)[record]!;
          const endB = w.coarseStartList[b + 1]!;
          const begin = g === f ? i + 1 : w.coarseStartList[b]!;
          for (let j = begin; j < endB && this.count < MOST_FEATURES; j++)
            this.add(bothOf(v.coarseList[i]!, w.coarseList[j]!) & mask);
        }
      }
    }
  }
}
