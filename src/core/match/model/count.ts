import type { Pool } from "../pairs/draw.ts";
import type { Values } from "../pairs/table.ts";
import type { Labelled } from "./estimate.ts";
import { Judge } from "./judge.ts";
import type { Fit, Source } from "./kinds.ts";
import { weighRivals, type Rivals } from "./rivals.ts";
import { placesOf } from "./patterns.ts";
import { probabilityOf } from "./score.ts";

/** Limits that are looked at, in bits. */
export const LIMITS = { from: -3, to: 24, step: 0.3 };
/** By so many bits a pair of other records might have had more or less. */
const SPREAD = 1;
/** Where none was seen there may be as much as half a one (Jeffreys 1946). */
export const UNSEEN = 0.5;

/** The bits of a pool's candidates by the odds of the first source, rivals weighed; from the greatest on. */
export function judgePool(judge: Judge, pool: Pool, width: number, rivals: Rivals): Float64Array {
  const list = placesOf(pool.count, (p) => pool.candidate[p] === 1);
  const count = list.length;
  const bits = new Float64Array(count);
  const [a, b] = [new Int32Array(count), new Int32Array(count)];
  for (let i = 0; i < count; i++) {
    const p = list[i]!;
    bits[i] = judge.bits(0, pool.alike, pool.levels, pool.rarity, p * width);
    a[i] = pool.owner[p]!;
    b[i] = pool.other[p]!;
  }
  weighRivals(bits, a, b, count, rivals);
  return bits.sort().reverse();
}

/** How many pairs there are from a limit on; `sorted` from the greatest on. */
function countFrom(sorted: Float64Array, limit: number): number {
  let [low, high] = [0, sorted.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (sorted[middle]! >= limit) low = middle + 1;
    else high = middle;
  }
  return low;
}

/**
 * How many pairs are expected from a limit on among others like these: each is spread over the bits
 * around its own (a kernel, Parzen 1962), so that a limit just above the last one is not taken for safe.
 */
function expectedFrom(sorted: Float64Array, limit: number): number {
  let sum = UNSEEN;
  for (const bits of sorted) {
    const z = (bits - limit) / SPREAD;
    if (z < -4) break;
    // The logistic function is near enough to the normal one.
    sum += z > 4 ? 1 : 1 / (1 + Math.exp(-1.702 * z));
  }
  return sum;
}

/** What would be joined from a limit on, and how much of it wrongly. */
export interface Joined {
  readonly fit: Fit;
  readonly limit: number;
  readonly joined: number;
  readonly wrong: number;
  /** By how many look-alikes that is known; null where people have decided some of these pairs. */
  readonly seen: number | null;
  /** How many look-alikes there would be if nothing were the same. */
  readonly alike: number;
}

/** So many turns, at most, and how near they must come. */
const TURNS = { most: 60, near: 1e-3 };

/**
 * How many of the pairs that would be joined are wrong, where `alike` would be if nothing were the same. Whoever is
 * joined rightly has no look-alike any more: the more are right the fewer are wrong. Of what fits both, the least that
 * can be right; and no more than there are records, since each is itself but once.
 */
export function wrongOf(joined: number, alike: number, all: number, others: number): number {
  let right = 0;
  for (let turn = 0; ; turn++) {
    const wrong = alike * Math.max(0, 1 - right / all) * Math.max(0, 1 - right / others);
    const next = Math.min(all, others, Math.max(0, joined - wrong));
    // Where fewer are joined than would be alike it may as well be all of those.
    if (turn === TURNS.most || next - right < TURNS.near) return Math.max(wrong, joined - next);
    right = next;
  }
}

/** All that would be joined by each limit; how much wrongly is counted in sources where nothing is the same. */
export function countJoined(
  { values, labels }: { readonly values: readonly Values[]; readonly labels: Labelled | null },
  fit: Fit,
  sources: readonly Source[],
  counted: readonly number[],
  rivals: Rivals,
): Joined[] {
  const judge = new Judge(values, fit);
  const answers = new Answers(judge, labels, values.length);
  const width = values.length;
  // All by the odds of where same pairs are looked for: the question is what would be joined there.
  const [here, ...there] = [0, ...counted].map((s) => judgePool(judge, sources[s]!.pool, width, rivals)) as [
    Float64Array,
    ...Float64Array[],
  ];
  const { all, others, records } = sources[0]!.pool;
  const out: Joined[] = [];
  for (let limit = LIMITS.from; limit <= LIMITS.to; limit += LIMITS.step) {
    const joined = (countFrom(here, limit) * all) / Math.max(1, records);
    let [density, seen] = [0, 0];
    there.forEach((bits, i) => {
      const { pool } = sources[counted[i]!]!;
      const expected = expectedFrom(bits, limit);
      seen += expected;
      density += expected / (pool.records * pool.others) / there.length;
    });
    const alike = density * all * others;
    const wrong = wrongOf(joined, alike, all, others);
    const share = joined === 0 ? 0 : answers.share(Math.min(1, wrong / joined), limit);
    const known = answers.from(limit).all > 0 ? null : seen;
    out.push({ fit, limit, joined, wrong: labels && joined > 0 ? share * joined : wrong, seen: known, alike });
  }
  return out;
}

/** What the model itself says of a limit. */
export function wordOf(bits: Iterable<number>, limit: number): { joined: number; right: number; all: number } {
  let [joined, right, all] = [0, 0, 0];
  for (const b of bits) {
    const p = probabilityOf(b);
    all += p;
    if (b < limit) continue;
    joined++;
    right += p;
  }
  return { joined, right, all };
}

/** How many decided pairs from a limit on there are, and how many of them are not the same. */
interface Answered {
  readonly all: number;
  readonly wrong: number;
}

/** What is said of precision without labels counts like so many decided pairs. */
export const UNLABELLED = 10;

/** The decided pairs by their bits, from which it is told how many there are from a limit on. */
export class Answers {
  private readonly bits: Float64Array;

  constructor(
    judge: Judge,
    private readonly labels: Labelled | null,
    width: number,
  ) {
    const count = labels?.pool.count ?? 0;
    this.bits = Float64Array.from({ length: count }, (_, p) =>
      judge.bits(0, labels!.pool.alike, labels!.pool.levels, labels!.pool.rarity, p * width),
    );
  }

  from(limit: number): Answered {
    let [all, wrong] = [0, 0];
    this.bits.forEach((bits, p) => {
      if (bits < limit) return;
      all++;
      if (this.labels!.same[p] === 0) wrong++;
    });
    return { all, wrong };
  }

  /** A share of wrong ones, by what was decided as well. */
  share(expected: number, limit: number): number {
    const { all, wrong } = this.from(limit);
    return (UNLABELLED * expected + wrong) / (UNLABELLED + all);
  }
}
