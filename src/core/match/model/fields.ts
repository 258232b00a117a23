import { MISSING, believed, differentLevels, levelCount } from "./density.ts";
import type { Pool } from "../pairs/draw.ts";
import type { Values } from "../pairs/table.ts";

/** What is known of a field before any kind of pairs is estimated. */
export interface FieldFacts {
  readonly levels: number;
  /** By level: the share among pairs taken at random. */
  readonly u: readonly number[];
  readonly believed: readonly number[];
  readonly different: readonly boolean[];
  /** Whether pairs that nothing else is known of seldom have it in common. */
  readonly telling: boolean;
  /** Whether hardly any pair that nothing else is known of has it in common: a name does this, one of ten categories does not. */
  readonly identifying: boolean;
  /** Whether records that are not the same may have it in common because they belong together. */
  readonly shared: boolean;
  /** Whether it is measured or gathered, so that the same thing has hardly ever the same value twice, but one that is near. */
  readonly measured: boolean;
  /** Why it says nothing, and is left out. */
  readonly silent: "noise" | null;
  /** Bits of each level that are set by hand. */
  readonly byHand: readonly number[] | null;
}

/** Whether a field may tell one thing from the next: what is written there of the same thing is hardly ever another thing's. */
export function tellsNext({ identifying, silent, measured }: FieldFacts): boolean {
  return identifying && !silent && !measured;
}

/** Values that come together by chance more often than this tell little. */
const TELLING = 0.2;
/** And those that come together less often than this may tell one thing from another. */
const IDENTIFYING = 0.05;
/** A pair with so many bits by a simple score is worth a look. */
export const LIKELY_BITS = 10;
/** In a field of noise fewer of the likeliest pairs than this agree. */
const NOISE = 0.3;
/** How a field is compared that may hold what has nothing to do with the thing: what is compared as a name or a day does not. */
const MAY_BE_NOISE: ReadonlySet<string> = new Set(["words", "equal", "number"]);
/** How a field is compared that is measured, or a list of what was gathered. */
const MEASURED: ReadonlySet<string> = new Set(["number", "distance", "overlap"]);
/** So many likely pairs, at least, must speak of a field. */
const ENOUGH_PAIRS = 30;

/** Shares of levels among all pairs, from pools of them, with the probability of equal values from their frequencies. */
function randomShares(pools: readonly Pool[], f: number, width: number, levels: number, equal: number): number[] {
  const counts = new Array<number>(levels).fill(0);
  for (const { count, levels: list, weight } of pools) {
    for (let p = 0; p < count; p++) {
      const l = list[p * width + f]!;
      if (l !== MISSING) counts[l]! += weight[p]!;
    }
  }
  const all = counts.reduce((a, b) => a + b, 0);
  // Levels that never came are given half a pair, so that no weight is without bound.
  const u = counts.map((n) => (n + 0.5) / (all + levels / 2));
  u[0] = equal;
  return u;
}

/** Bits of each pair if all fields were independent and same pairs were as they are believed to be. */
export function simpleScores(
  pool: Pool,
  facts: readonly Pick<FieldFacts, "u" | "believed" | "silent">[],
): Float32Array {
  const width = facts.length;
  const weights = facts.map(({ u, believed: m, silent }) => m.map((x, l) => (silent ? 0 : Math.log2(x / u[l]!))));
  return Float32Array.from({ length: pool.count }, (_, p) => {
    let sum = 0;
    for (let f = 0; f < width; f++) {
      const l = pool.levels[p * width + f]!;
      if (l !== MISSING && !facts[f]!.silent) sum += weights[f]![l]! + pool.rarity[p * width + f]!;
    }
    return sum;
  });
}

/** By drawn record: its likeliest candidate, or -1. */
export function bestPairs(pool: Pool, scores: ArrayLike<number>): Int32Array {
  const best = new Int32Array(pool.records).fill(-1);
  for (let p = 0; p < pool.count; p++) {
    if (pool.candidate[p] === 0) continue;
    const at = best[pool.owner[p]!]!;
    if (at < 0 || scores[p]! > scores[at]!) best[pool.owner[p]!] = p;
  }
  return best;
}

/** What is known of each field. `equal`: by field the probability that two records have the same value. */
export function fieldFacts(
  values: readonly Values[],
  pools: readonly Pool[],
  sought: readonly Pool[],
  equal: readonly number[],
): FieldFacts[] {
  const width = values.length;
  const facts = values.map((v, f): FieldFacts => {
    const levels = levelCount(v);
    return {
      levels,
      u: randomShares(pools, f, width, levels, equal[f]!),
      believed: believed(levels),
      different: differentLevels(v),
      telling: equal[f]! < TELLING,
      identifying: equal[f]! < IDENTIFYING,
      shared: v.shared,
      measured: MEASURED.has(v.field.by),
      silent: null,
      byHand: v.field.weights ?? null,
    };
  });
  return facts.map((fact, f) => ({
    ...fact,
    silent: isNoise(f, values[f]!, facts, sought) ? ("noise" as const) : null,
  }));
}

/** Unless they agree in it so much more often than pairs taken at random, and so often at least: then it tells the same from its like. */
const TELLS = { times: 20, pairs: 5 };

/** Whether pairs that all other fields speak for don't have the field in common: then it says nothing about them. */
function isNoise(f: number, values: Values, facts: readonly FieldFacts[], pools: readonly Pool[]): boolean {
  if (facts.length < 3 || !MAY_BE_NOISE.has(values.field.by)) return false;
  let [agree, all] = [0, 0];
  const others = facts.map((fact, g) => (g === f ? { ...fact, silent: "noise" as const } : fact));
  for (const pool of pools) {
    const scores = simpleScores(pool, others);
    for (const p of bestPairs(pool, scores)) {
      if (p < 0 || scores[p]! < LIKELY_BITS) continue;
      const l = pool.levels[p * facts.length + f]!;
      if (l === MISSING) continue;
      all++;
      if (!facts[f]!.different[l]) agree++;
    }
  }
  const { u, different } = facts[f]!;
  const byChance = u.reduce((n, x, l) => n + (different[l] ? 0 : x), 0);
  const tells = agree >= TELLS.pairs && agree > TELLS.times * byChance * all;
  return all >= ENOUGH_PAIRS && agree < NOISE * all && !tells;
}
