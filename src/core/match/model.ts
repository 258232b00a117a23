import type { Values } from "./table.ts";

/** The level of a pair's field where one of the two values is missing. */
export const MISSING = 255;

/** How far the two probabilities of each level of a field are known, and what follows from them. */
export interface FieldModel {
  /** Share of same pairs that are of the level. */
  readonly m: number[];
  /** Share of random pairs that are of it. */
  readonly u: number[];
  /** Bits of evidence that the level gives: the binary logarithm of m over u. */
  readonly weights: number[];
}

/**
 * Fellegi and Sunter's model (1969): each compared field gives bits of evidence by its level, they
 * are added to the odds that any two records at all are the same.
 */
export interface MatchModel {
  /** The share of all pairs that are the same. */
  readonly prior: number;
  readonly fields: readonly FieldModel[];
}

/** Bits from which a score goes half way to 0 or 100: a score of 80 is 8 bits, or 256 to 1. */
const BITS_PER_STEP = 4;

/** A score from 0 to 100 for bits of evidence; 50 where same and different are as likely. */
export function scoreOf(bits: number): number {
  return 100 / (1 + 2 ** (-bits / BITS_PER_STEP));
}

/** The probability that a pair with so many bits is the same. */
export function probabilityOf(bits: number): number {
  return 1 / (1 + 2 ** -bits);
}

/** The bits of a score; the ends are taken for 60 bits either way. */
export function bitsOf(score: number): number {
  if (score <= 0) return -60;
  if (score >= 100) return 60;
  return BITS_PER_STEP * Math.log2(score / (100 - score));
}

/** Pairs by the levels of their fields: `levels` has a byte for each field of each pair. */
export interface Sample {
  /** Of how many records these are the candidates. */
  readonly records: number;
  readonly count: number;
  readonly levels: Uint8Array;
  /** Per field and pair: what is added to a level's weight because its values are rare or common. */
  readonly rarity: Float32Array;
}

export function levelCount(values: Values): number {
  // Equal, the comparator's own levels, below all of them, and values that stand in each other's fields.
  return values.levels.length + 3;
}

/** The level for values that stand in each other's fields. */
export function crossedLevel(values: Values): number {
  return values.levels.length + 2;
}

/** What is thought of same pairs before any was seen, and how many pairs that is worth. */
const BELIEVED = 30;

function believed(levels: number): number[] {
  const m = Array.from({ length: levels }, (_, l) => (l === 0 ? 0.7 : 0.27 * (0.55 ** l / 1.2)));
  m[levels - 1] = 0.01;
  const sum = m.reduce((a, b) => a + b, 0);
  return m.map((x) => x / sum);
}

/**
 * Shares of levels among pairs taken at random, which are all but always different.
 * `equal`: the probability that two values that are there are equal, from their frequencies.
 */
export function randomShares(counts: readonly number[], equal: number): number[] {
  const total = counts.reduce((a, b) => a + b, 0);
  // Levels that never came are given half a pair, so that no weight is without bound.
  const u = counts.map((n) => (n + 0.5) / (total + counts.length / 2));
  u[0] = Math.max(equal, 1e-6);
  return u;
}

function weightsOf(m: readonly number[], u: readonly number[], seen: readonly number[]): number[] {
  const raw = m.map((x, l) => Math.log2(x / u[l]!));
  // From equal to different no level may speak louder for the same than one above it: neighbours
  // that do are put together (pool adjacent violators, Ayer et al., 1955). Crossed stands apart.
  const blocks: { sum: number; weight: number; size: number }[] = [];
  for (let l = 0; l < raw.length - 1; l++) {
    blocks.push({ sum: raw[l]! * (seen[l]! + 1), weight: seen[l]! + 1, size: 1 });
    while (blocks.length > 1) {
      const [a, b] = [blocks.at(-2)!, blocks.at(-1)!];
      if (a.sum / a.weight >= b.sum / b.weight) break;
      blocks.splice(-2, 2, { sum: a.sum + b.sum, weight: a.weight + b.weight, size: a.size + b.size });
    }
  }
  return [...blocks.flatMap((b) => Array.from({ length: b.size }, () => b.sum / b.weight)), raw.at(-1)!];
}

/**
 * Estimates the model from pairs without labels by expectation-maximisation (Dempster, Laird and
 * Rubin, 1977; for record linkage Winkler, 1988, and Jaro, 1989). Only what same pairs are like, and
 * how many they are, is estimated: what random pairs are like is known from random pairs.
 *
 * `pairs`: of how many pairs in all the sample holds the candidates; `records`: of how many records.
 */
export function estimate(
  values: readonly Values[],
  sample: Sample,
  random: readonly (readonly number[])[],
  pairs: number,
  records: number,
): MatchModel {
  const fieldsCount = values.length;
  let prior = Math.min(0.2, Math.max(1e-12, (0.3 * records) / pairs));
  let fields = values.map((v, f): FieldModel => {
    const m = believed(levelCount(v));
    const u = [...random[f]!];
    return { m, u, weights: v.field.weights ? handWeights(v) : weightsOf(m, u, m) };
  });
  for (let turn = 0; turn < 40; turn++) {
    const odds = Math.log2(prior / (1 - prior));
    let same = 0;
    const seen = values.map((v) => new Float64Array(levelCount(v)));
    for (let p = 0; p < sample.count; p++) {
      let bits = odds;
      for (let f = 0; f < fieldsCount; f++) {
        const level = sample.levels[p * fieldsCount + f]!;
        if (level !== MISSING) bits += fields[f]!.weights[level]! + sample.rarity[p * fieldsCount + f]!;
      }
      const q = probabilityOf(bits);
      same += q;
      for (let f = 0; f < fieldsCount; f++) {
        const level = sample.levels[p * fieldsCount + f]!;
        if (level !== MISSING) seen[f]![level]! += q;
      }
    }
    const next = Math.min(0.2, Math.max(1e-12, same / pairs));
    const moved = Math.abs(Math.log2(next / prior));
    prior = next;
    fields = values.map((v, f): FieldModel => {
      const first = believed(levelCount(v));
      const counts = Array.from(seen[f]!, (n, l) => n + BELIEVED * first[l]!);
      const sum = counts.reduce((a, b) => a + b, 0);
      const m = counts.map((n) => n / sum);
      const { u } = fields[f]!;
      return { m, u, weights: v.field.weights ? handWeights(v) : weightsOf(m, u, counts) };
    });
    if (moved < 0.001 && turn > 5) break;
  }
  return { prior, fields };
}

/** Weights set by hand; values that stand in each other's fields say as much as the second level. */
function handWeights(values: Values): number[] {
  const own = values.field.weights!;
  return [...own, own[1]!];
}
