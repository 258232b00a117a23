import { spellingKey } from "../cleanse/spellings.ts";
import { similarity } from "../kernel/distance.ts";
import { counted } from "../kernel/problem.ts";

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
  /** Others of them in which both are likely spellings of one value. */
  readonly near: number;
  /** Records of the load that are as like it as this one, itself among them. */
  readonly equals: number;
}

/** Whether two records are the same in all that was sound, so that they can be closed without a look at each. */
export function isWhole({ sound, same }: Pick<Alike, "sound" | "same">): boolean {
  return same === sound;
}

/** In how much two records are the same, in words. */
export function alikeIn({ sound, same, near }: Pick<Alike, "sound" | "same" | "near">): string {
  const nearly = near > 0 ? `, ${near} spelled otherwise` : "";
  return `${same} of ${counted(sound, "sound field")} the same${nearly}`;
}

/** Of a held record's sound values so many must be the same or nearly, as a share; and never fewer than the number. */
const LEAST = { share: 0.75, fields: 2, equal: 0.5 };
/** Held records that have one value: where more have it, others lead to a record. */
const MOST_WITH_VALUE = 500;

/** A value for comparing spellings: its letters as a key, and its digits, which no other spelling of it changes. */
interface Plain {
  readonly key: string;
  readonly digits: string;
}
const plain = (value: string): Plain => ({ key: spellingKey(value), digits: value.replace(/\D+/g, "") });

/** Keys of which so many letters stay, as a share of the longer one's, may be spellings of one value. */
const ALIKE = 0.75;

function areSpellings(a: Plain, b: Plain): boolean {
  if (a.digits !== b.digits || a.key === "" || b.key === "") return false;
  if (a.key === b.key) return true;
  const [m, n] = [a.key.length, b.key.length];
  return Math.min(m, n) >= ALIKE * Math.max(m, n) && similarity(a.key, b.key) >= ALIKE;
}

/** Finds for held records what is most like them, in one pass over the records of a load. */
export class AlikeSearch {
  /** By held record: its sound values, "" where something is wrong. */
  private readonly own: readonly (readonly string[])[];
  /** By field: held records by their sound values. */
  private readonly having: ReadonlyMap<string, number[]>[];
  private readonly sound: number[];
  /** By held record: in how many fields others must be like it, and how many of its sound values lead to no record. */
  private readonly least: number[];
  private readonly common: number[];
  private readonly best: (Alike | null)[];
  /** By held record and field, once it was asked for. */
  private readonly plainOfHeld: (Plain | undefined)[][];
  /** Of the record at hand, by field. */
  private plainHere: (Plain | undefined)[] = [];
  /** For the record at hand: how many values it shares with each held one, and with which it shares any. */
  private readonly shared: Int32Array;
  private readonly touched: number[] = [];

  constructor(
    held: readonly LookedFor[],
    fields: number,
    /** Numbers of the fields of the key: two records whose keys are sound and not the same are two. */
    private readonly key: readonly number[] = [],
  ) {
    this.own = held.map(({ values, wrong }) => values.map((v, f) => (wrong[f] ? "" : v)));
    this.having = Array.from({ length: fields }, (_, f) => {
      const by = new Map<string, number[]>();
      this.own.forEach((own, h) => {
        if (own[f] === "") return;
        const list = by.get(own[f]!);
        if (list) list.push(h);
        else by.set(own[f]!, [h]);
      });
      for (const [value, list] of by) if (list.length > MOST_WITH_VALUE) by.delete(value);
      return by;
    });
    this.sound = this.own.map((own) => own.filter((v) => v !== "").length);
    this.least = this.sound.map((n) => Math.max(LEAST.fields, LEAST.share * n));
    this.common = this.own.map((own) => own.filter((v, f) => v !== "" && !this.having[f]!.has(v)).length);
    this.best = held.map(() => null);
    this.plainOfHeld = held.map(() => []);
    this.shared = new Int32Array(held.length);
  }

  /** Offers a record of the load, with its values by field; gives whether it is the likest so far of some held one. */
  offer(record: number, values: readonly string[]): boolean {
    const { having, shared, touched } = this;
    let likest = false;
    this.plainHere = [];
    values.forEach((value, f) => {
      if (value === "") return;
      for (const h of having[f]?.get(value) ?? []) if (shared[h]!++ === 0) touched.push(h);
    });
    for (const h of touched) {
      // With all that is common the same as well, too little would be.
      const enough = shared[h]! + this.common[h]! >= LEAST.equal * this.least[h]!;
      shared[h] = 0;
      if (enough && this.weigh(h, record, values)) likest = true;
    }
    touched.length = 0;
    return likest;
  }

  private weigh(h: number, record: number, values: readonly string[]): boolean {
    const own = this.own[h]!;
    const sound = this.sound[h]!;
    const { key } = this;
    const keyed = key.length > 0 && key.every((f) => own[f] !== "" && values[f] !== "");
    if (keyed && key.some((f) => own[f] !== values[f])) return false;
    const same = own.reduce((n, v, f) => n + (v !== "" && v === values[f] ? 1 : 0), 0);
    const least = this.least[h]!;
    // What hardly has anything in common is not looked at letter by letter, which takes long.
    if (same < LEAST.equal * least) return false;
    const near = this.nearly(h, values, sound - same, least - same);
    if (same + near < least) return false;
    const found = { held: h, record, values, sound, same, near, equals: 1 };
    const before = this.best[h];
    if (before && worth(before) > worth(found)) return false;
    if (before && worth(before) === worth(found)) {
      this.best[h] = { ...before, equals: before.equals + 1 };
      return false;
    }
    this.best[h] = found;
    return true;
  }

  /** In how many of the sound fields that differ both have spellings of one value; 0 once it can't be as many as are wanted. */
  private nearly(h: number, values: readonly string[], differ: number, wanted: number): number {
    const own = this.own[h]!;
    const mine = this.plainOfHeld[h]!;
    let left = differ;
    let near = 0;
    for (let f = 0; f < own.length && near + left >= wanted; f++) {
      if (own[f] === "" || own[f] === values[f]) continue;
      left--;
      if (values[f] === "") continue;
      if (areSpellings((mine[f] ??= plain(own[f]!)), (this.plainHere[f] ??= plain(values[f]!)))) near++;
    }
    return near + left < wanted ? 0 : near;
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

/** What is written otherwise says half as much as what is the same, where several are as like. */
const worth = ({ same, near }: Pick<Alike, "same" | "near">): number => same + near / 2;
const share = (a: Alike): number => worth(a) / a.sound;
