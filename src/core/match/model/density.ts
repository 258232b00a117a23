import type { Values } from "../pairs/table.ts";
import { neverFalling } from "./ordered.ts";

/** The level of a pair's field where one of the two values is missing. */
export const MISSING = 255;

/** What pairs of a kind are like in a field. */
export interface KindField {
  /** By level: the share of such pairs. */
  readonly shares: readonly number[];
  /** By level: bits of evidence for such pairs, against pairs taken at random field by field. */
  readonly weights: readonly number[];
  /** By level: how much of that comes from having a value in common, which says more if the value is rare. */
  readonly common: readonly number[];
}

/** Equal, the comparator's own levels, and below all of them. */
export function levelCount(values: Values): number {
  return values.levels.length + 2;
}

/** From this level on two spellings are as far apart as those of two different things. */
const DIFFERENT_FROM = 4;

/** By level: whether values that are so alike are of two different things. */
export function differentLevels(values: Values): boolean[] {
  const last = values.levels.length + 1;
  return Array.from({ length: levelCount(values) }, (_, l) => l >= Math.min(DIFFERENT_FROM, last));
}

/** What is thought of same pairs before any was seen. */
export function believed(levels: number): number[] {
  const m = Array.from({ length: levels }, (_, l) => (l === 0 ? 0.7 : 0.27 * (0.55 ** l / 1.2)));
  const sum = m.reduce((a, b) => a + b, 0);
  return m.map((x) => x / sum);
}

/** How much of a level's pairs have a value in common, where the others are alike by chance. */
function commonOf(share: number, random: number): number {
  return Math.max(0, 1 - random / share);
}

/** A kind's field from its shares, where a level may say anything. */
export function looseField(shares: readonly number[], u: readonly number[]): KindField {
  return {
    shares,
    weights: shares.map((x, l) => Math.log2(x / u[l]!)),
    common: shares.map((x, l) => commonOf(x, u[l]!)),
  };
}

/**
 * The field of same pairs from their shares. From equal to different no level may speak louder for the
 * same than one above it. `seen`: how many pairs of each level speak for its share.
 */
export function orderedField(shares: readonly number[], u: readonly number[], seen: readonly number[]): KindField {
  const raw = shares.map((x, l) => Math.log2(x / u[l]!));
  const weights = neverFalling(
    raw.map((bits) => -bits),
    seen.map((n) => n + 1),
  ).map((bits) => -bits);
  return { shares, weights, common: shares.map(() => 1) };
}

/** A field of which nothing is to be said. */
export function silentField(u: readonly number[]): KindField {
  return { shares: u, weights: u.map(() => 0), common: u.map(() => 0) };
}

/** Shares from counts. */
export function sharesOf(counts: readonly number[]): number[] {
  const all = counts.reduce((a, b) => a + b, 0);
  return counts.map((n) => n / all);
}

/** The shares with those of the given levels held under a bound together, the rest grown in proportion. */
export function bounded(shares: readonly number[], which: readonly boolean[], most: number): number[] {
  const part = shares.reduce((n, x, l) => n + (which[l] ? x : 0), 0);
  if (part <= most || part >= 1) return [...shares];
  return shares.map((x, l) => (which[l] ? (x * most) / part : (x * (1 - most)) / (1 - part)));
}
