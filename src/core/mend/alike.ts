/**
 * Held records that came again without their mark and under another key: each is looked for among the records of a later
 * load by what it has in common with them. Nothing is decided by it, it is shown to a person.
 */

/** A held record as it is looked for. */
export interface LookedFor {
  /** By field: its value as the load's contract makes it, "" for none. */
  readonly values: readonly string[];
  /** By field: whether something is wrong with the value, so that it may have been put right. */
  readonly wrong: readonly boolean[];
}

/** What is most like a held record among the records of a load. */
export interface Alike {
  /** The held record, by its place in what was looked for. */
  readonly held: number;
  /** The record of the load. */
  readonly record: number;
  /** By field. */
  readonly values: readonly string[];
  /** Fields in which the held record had a sound value, and those of them in which both are the same. */
  readonly sound: number;
  readonly same: number;
  /** Records of the load that are as like it as this one, itself among them. */
  readonly equals: number;
}

/** Of a held record's sound values so many must be the same, as a share; and never fewer than the number. */
const LEAST = { share: 0.75, fields: 2 };
/** Held records that have one value: where more have it, others lead to a record. */
const MOST_WITH_VALUE = 500;

/** Finds for held records what is most like them, in one pass over the records of a load. */
export class AlikeSearch {
  /** By field: held records by their sound values. */
  private readonly having: ReadonlyMap<string, number[]>[];
  private readonly sound: number[];
  private readonly best: (Alike | null)[];
  /** For the record at hand: how many values it shares with each held one, and with which it shares any. */
  private readonly shared: Int32Array;
  private readonly touched: number[] = [];

  constructor(
    private readonly held: readonly LookedFor[],
    fields: number,
    /** Numbers of the fields of the key: two records whose keys are sound and not the same are two. */
    private readonly key: readonly number[] = [],
  ) {
    this.having = Array.from({ length: fields }, (_, f) => {
      const by = new Map<string, number[]>();
      held.forEach(({ values, wrong }, h) => {
        if (values[f] === "" || wrong[f]) return;
        const list = by.get(values[f]!);
        if (list) list.push(h);
        else by.set(values[f]!, [h]);
      });
      for (const [value, list] of by) if (list.length > MOST_WITH_VALUE) by.delete(value);
      return by;
    });
    this.sound = held.map(({ values, wrong }) => values.filter((v, f) => v !== "" && !wrong[f]).length);
    this.best = held.map(() => null);
    this.shared = new Int32Array(held.length);
  }

  /** Offers a record of the load, with its values by field; gives whether it is the likest so far of some held one. */
  offer(record: number, values: readonly string[]): boolean {
    const { having, shared, touched } = this;
    let likest = false;
    values.forEach((value, f) => {
      if (value === "") return;
      for (const h of having[f]?.get(value) ?? []) if (shared[h]!++ === 0) touched.push(h);
    });
    for (const h of touched) {
      shared[h] = 0;
      if (this.weigh(h, record, values)) likest = true;
    }
    touched.length = 0;
    return likest;
  }

  private weigh(h: number, record: number, values: readonly string[]): boolean {
    const { values: own, wrong } = this.held[h]!;
    const sound = this.sound[h]!;
    const { key } = this;
    const keyed = key.length > 0 && key.every((f) => own[f] !== "" && !wrong[f] && values[f] !== "");
    if (keyed && key.some((f) => own[f] !== values[f])) return false;
    const same = own.reduce((n, v, f) => n + (v !== "" && !wrong[f] && v === values[f] ? 1 : 0), 0);
    if (same < Math.max(LEAST.fields, LEAST.share * sound)) return false;
    const before = this.best[h];
    if (before && before.same > same) return false;
    if (before?.same === same) {
      this.best[h] = { ...before, equals: before.equals + 1 };
      return false;
    }
    this.best[h] = { held: h, record, values, sound, same, equals: 1 };
    return true;
  }

  /**
   * What was found, the likest first. A held record that is as like several records of the load is like none of them; a
   * record to which several are alike is that of the likest alone, and of none where that is not one.
   */
  finish(): Alike[] {
    const found = this.best.filter((a): a is Alike => a !== null && a.equals === 1);
    const of = new Map<number, Alike | null>();
    for (const a of found) {
      const other = of.get(a.record);
      if (other === undefined || (other && share(a) > share(other))) of.set(a.record, a);
      else if (other && share(a) === share(other)) of.set(a.record, null);
    }
    return [...of.values()]
      .filter((a): a is Alike => a !== null)
      .sort((a, b) => share(b) - share(a) || b.same - a.same || a.held - b.held);
  }
}

const share = ({ same, sound }: Alike): number => same / sound;
