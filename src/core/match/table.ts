import { comparatorPart } from "./compare/index.ts";
import { bothOf, featuresOf, roughOf, variantFeature } from "./features.ts";
import { variantsOf, type Variants } from "./normalise.ts";
import type { Compare, Leads, WordOptions } from "./part.ts";
import type { MatchField } from "./schema.ts";

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
    if (this.length === this.list.length) {
      const grown = new Int32Array(this.list.length * 2);
      grown.set(this.list);
      this.list = grown;
    }
    this.list[this.length++] = n;
  }
}

/** The same numbers where other threads can read them. */
export function inSharedMemory(list: Int32Array): Int32Array {
  // Never empty, so that what grows by doubling can grow.
  const shared = new Int32Array(new SharedArrayBuffer(Math.max(1, list.length) * 4));
  shared.set(list);
  return shared;
}

/** The different values of a field, for another thread. */
export interface SharedValues {
  readonly texts: readonly string[];
  readonly numbers: readonly SharedNumbers[];
}

/**
 * The different values of one match field, each with a number. Number 0 is the missing value. Both
 * tables of a comparison share them, so that equal values have equal numbers.
 */
export class Values {
  readonly texts: string[] = [""];
  /** By value: where its features begin; one more entry than values. */
  private readonly starts = new Grown();
  private readonly features = new Grown();
  private readonly roughStarts = new Grown();
  private readonly roughs = new Grown();
  private readonly numbers = new Map<string, number>([["", 0]]);
  readonly compare: Compare;
  private readonly prepare: (text: string) => string;
  /** Words of the plan's own that mean the same, where the comparator leaves them as they are. */
  private readonly forms: Variants | null;
  readonly levels: readonly number[];
  /** Values that may stand in another such field by mistake. */
  readonly textual: boolean;
  private readonly leads: Leads;

  constructor(
    readonly field: MatchField,
    private readonly tag: number,
  ) {
    const { in: _, by, weights: __, ...options } = field;
    const part = comparatorPart(by);
    this.compare = part.compare(options);
    this.prepare = part.prepare(options);
    this.levels = part.levels;
    // What a plan or a list says of names leads to them too, as what is known of them anyway does.
    const own = (options as WordOptions).variants;
    this.forms = by === "person" && own ? variantsOf([], own) : null;
    this.leads = part.leads === "words" && options["as"] === "code" ? "code" : part.leads;
    this.textual = this.leads === "words" && part.levels.length > 2;
    for (const starts of [this.starts, this.roughStarts]) for (let i = 0; i < 2; i++) starts.push(0);
  }

  /** The number of a value as it arrives. */
  numberOf(text: string): number {
    if (text === "") return 0;
    const prepared = this.prepare(text);
    const known = this.numbers.get(prepared);
    if (known !== undefined) return known;
    const n = this.texts.length;
    this.numbers.set(prepared, n);
    this.texts.push(prepared);
    featuresOf(this.leads, prepared, this.tag, (feature) => this.features.push(feature));
    if (this.forms) {
      for (const word of prepared.split(" "))
        for (const meant of this.forms.get(word) ?? []) this.features.push(variantFeature(meant));
    }
    this.starts.push(this.features.length);
    roughOf(this.leads, prepared, this.tag, (feature) => this.roughs.push(feature));
    this.roughStarts.push(this.roughs.length);
    return n;
  }

  private get grown(): readonly Grown[] {
    return [this.starts, this.features, this.roughStarts, this.roughs];
  }

  share(): SharedValues {
    return { texts: this.texts, numbers: this.grown.map((g) => g.share()) };
  }

  /** Takes the values of another thread, to be compared only: none can be put to them. */
  take({ texts, numbers }: SharedValues): void {
    for (let i = 1; i < texts.length; i++) this.texts.push(texts[i]!);
    this.grown.forEach((g, i) => g.take(numbers[i]!));
  }

  get featureStarts(): Int32Array {
    return this.starts.list;
  }

  get featureList(): Int32Array {
    return this.features.list;
  }

  get roughStartList(): Int32Array {
    return this.roughStarts.list;
  }

  get roughList(): Int32Array {
    return this.roughs.list;
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

  /** How often each value of a field comes. */
  frequencies(f: number): Int32Array {
    const counts = new Int32Array(this.values[f]!.texts.length);
    const column = this.column(f);
    for (let r = 0; r < this.length; r++) counts[column[r]!]!++;
    return counts;
  }
}

/** Collects the features of a record of a table, each once. */
export class RecordFeatures {
  readonly list = new Int32Array(4096);
  count = 0;
  private readonly seen: Int32Array;
  private turn = 0;

  /** `room`: how many features are told apart, a power of two. */
  constructor(
    private readonly values: readonly Values[],
    private readonly room: number,
  ) {
    this.seen = new Int32Array(room);
  }

  read(table: MatchTable, record: number): void {
    const { list, seen, values } = this;
    const mask = this.room - 1;
    const turn = ++this.turn;
    let n = 0;
    for (let f = 0; f < values.length; f++) {
      const value = table.column(f)[record]!;
      const { featureStarts, featureList } = values[f]!;
      const end = featureStarts[value + 1]!;
      for (let i = featureStarts[value]!; i < end && n < list.length; i++) {
        const feature = featureList[i]! & mask;
        if (seen[feature] === turn) continue;
        seen[feature] = turn;
        list[n++] = feature;
      }
    }
    for (let f = 0; f < values.length; f++) {
      const v = values[f]!;
      const a = table.column(f)[record]!;
      const endA = v.roughStartList[a + 1]!;
      for (let i = v.roughStartList[a]!; i < endA; i++) {
        // Two words of one value as well as values of two fields.
        for (let g = f; g < values.length; g++) {
          const w = values[g]!;
          const b = table.column(g)[record]!;
          const endB = w.roughStartList[b + 1]!;
          for (let j = g === f ? i + 1 : w.roughStartList[b]!; j < endB && n < list.length; j++) {
            const feature = bothOf(v.roughList[i]!, w.roughList[j]!) & mask;
            if (seen[feature] === turn) continue;
            seen[feature] = turn;
            list[n++] = feature;
          }
        }
      }
    }
    this.count = n;
  }
}
