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
  /** The share of all pairs that are the same, and alike in the usual way. */
  readonly prior: number;
  readonly fields: readonly FieldModel[];
  /** More kinds of pairs than the same and random ones, where the data has them. */
  readonly kinds?: readonly PairKind[];
}

/**
 * Fields that go together break the model: people of one household have all that comes with their
 * address in common, and who has moved has none of it any more. So there may be two more kinds of
 * pairs, after Winkler (1993) and Larsen and Rubin (2001): `moved` are the same, with other values in
 * what may be shared; `related` are not, and have just that in common.
 */
export interface PairKind {
  readonly kind: "moved" | "related";
  /** The share of all pairs that are of the kind. */
  readonly prior: number;
  readonly fields: readonly KindField[];
}

/** What pairs of a kind are like in a field. */
export interface KindField {
  /** By level: the share of such pairs. */
  readonly shares: readonly number[];
  /** By level: bits of evidence for such pairs against random ones. */
  readonly weights: readonly number[];
  /** By level: how much of that comes from having a value in common, which says more if the value is rare. */
  readonly common: readonly number[];
}

/** The share of all pairs that are the same. */
export function sameShare(model: MatchModel): number {
  return model.prior + (model.kinds ?? []).reduce((n, k) => n + (k.kind === "moved" ? k.prior : 0), 0);
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
  /** How many of them are what is asked about, and how many of the pairs are theirs, which come first; the others tell what pairs are like. */
  readonly own: { readonly records: number; readonly count: number };
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

/** Bits of evidence of each level, from how many pairs of each were seen. */
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

/** A kind of pairs that is estimated: how many there are, and what they are like. */
type Kind = Omit<PairKind, "kind">;

/** What is thought of a kind before any pair was seen. */
interface Belief {
  readonly shares: readonly (readonly number[])[];
  /** The same where it is not what the search begins with. */
  readonly first?: readonly (readonly number[])[];
  readonly field: (f: number, shares: readonly number[], seen: readonly number[]) => KindField;
}

/** How much of a level's pairs have a value in common, where the others are alike by chance. */
function commonOf(share: number, random: number): number {
  return Math.max(0, 1 - random / share);
}

/** A pair with fewer bits than this is none of a kind. */
const HOPELESS = -40;
/** After so many turns it is known which pairs are of no kind, and need not be looked at again. */
const TOLD = 2;
/** A kind with fewer pairs than this is not there. */
const LEAST_PAIRS = 1;

/** The pairs of a sample that may be of a kind. */
function withoutHopeless(sample: Sample, width: number, chances: readonly Float64Array[]): Sample {
  const levels = new Uint8Array(sample.count * width);
  const rarity = new Float32Array(sample.count * width);
  let count = 0;
  for (let p = 0; p < sample.count; p++) {
    if (chances.every((c) => c[p]! < 1e-9)) continue;
    levels.set(sample.levels.subarray(p * width, (p + 1) * width), count * width);
    rarity.set(sample.rarity.subarray(p * width, (p + 1) * width), count * width);
    count++;
  }
  return { ...sample, count, levels, rarity };
}

/** For each kind and pair the probability that the pair is of it; gives the bits by which the sample is more likely than random pairs. */
function expect(kinds: readonly Kind[], sample: Sample, pairs: number, into: readonly Float64Array[]): number {
  const width = kinds[0]!.fields.length;
  const random = Math.log2(1 - kinds.reduce((n, k) => n + k.prior, 0));
  let gain = pairs * random;
  kinds.forEach(({ prior, fields }, k) => {
    const odds = Math.log2(prior) - random;
    const chances = into[k]!;
    for (let p = 0; p < sample.count; p++) {
      let sum = odds;
      for (let f = 0, at = p * width; f < width; f++, at++) {
        const level = sample.levels[at]!;
        if (level === MISSING) continue;
        const { weights, common } = fields[f]!;
        sum += weights[level]! + common[level]! * sample.rarity[at]!;
      }
      chances[p] = sum < HOPELESS ? 0 : 2 ** sum;
    }
  });
  for (let p = 0; p < sample.count; p++) {
    let all = 1;
    for (const chances of into) all += chances[p]!;
    if (all === 1) continue;
    gain += Math.log2(all);
    for (const chances of into) chances[p]! /= all;
  }
  return gain;
}

/** Keeps the share of a kind within what can be reckoned with. */
function within(share: number): number {
  return Math.min(0.2, Math.max(1e-12, share));
}

/** What a kind is like, by what was thought of it before and by how likely each pair of a sample is of it. */
function learn(belief: Belief, sample: Sample, pairs: number, chances: Float64Array): Kind {
  const width = belief.shares.length;
  const counts = belief.shares.map((before) => before.map((share) => BELIEVED * share));
  let sum = 0;
  for (let p = 0; p < sample.count; p++) {
    const chance = chances[p]!;
    if (chance === 0) continue;
    sum += chance;
    for (let f = 0; f < width; f++) {
      const level = sample.levels[p * width + f]!;
      if (level !== MISSING) counts[f]![level]! += chance;
    }
  }
  const fields = counts.map((seen, f) => {
    const all = seen.reduce((a, b) => a + b, 0);
    const shares = seen.map((n) => n / all);
    return belief.field(f, shares, seen);
  });
  return { prior: within(sum / pairs), fields };
}

/**
 * Kinds of pairs that explain a sample best, by expectation-maximisation (Dempster, Laird and Rubin,
 * 1977); all other pairs are taken for random ones. `gain`: by how many bits the sample is more likely
 * than if all pairs were random.
 */
function fit(
  beliefs: readonly Belief[],
  sample: Sample,
  pairs: number,
  records: number,
): { kinds: Kind[]; gain: number } {
  let kinds = beliefs.map((b): Kind => ({
    prior: within((0.3 * records) / pairs),
    fields: (b.first ?? b.shares).map((shares, f) => b.field(f, shares, shares)),
  }));
  const width = beliefs[0]!.shares.length;
  const chances = kinds.map(() => new Float64Array(sample.count));
  let seen = sample;
  let gain = 0;
  for (let turn = 0; turn < 40; turn++) {
    gain = expect(kinds, seen, pairs, chances);
    let moved = 0;
    kinds = beliefs.map((belief, k) => {
      const kind = learn(belief, seen, pairs, chances[k]!);
      moved = Math.max(moved, Math.abs(Math.log2(kind.prior / kinds[k]!.prior)));
      return kind;
    });
    if ((moved < 0.001 && turn > 5) || kinds.some((k, i) => i > 0 && k.prior * pairs < LEAST_PAIRS)) break;
    if (turn === TOLD) seen = withoutHopeless(seen, width, chances);
  }
  return { kinds, gain };
}

/** Records whose word about how many pairs are of a kind is not heard alone. */
const FEW = 50;

/** The kinds with their shares among the pairs of what is asked about, where a sample has others as well. */
function withOwnShares(kinds: readonly Kind[], sample: Sample, known: number): Kind[] {
  const own: Sample = { ...sample, count: sample.own.count };
  const chances = kinds.map(() => new Float64Array(own.count));
  let now = [...kinds];
  for (let turn = 0; turn < 10; turn++) {
    expect(now, own, sample.own.records * known, chances);
    now = kinds.map((kind, k) => {
      const sum = chances[k]!.reduce((a, b) => a + b, 0);
      const prior = (sum + FEW * known * kind.prior) / ((sample.own.records + FEW) * known);
      return { prior: within(prior), fields: kind.fields };
    });
  }
  return now;
}

/**
 * Estimates the model from pairs without labels (for record linkage Winkler, 1988, and Jaro, 1989).
 * Only what same pairs are like, and how many they are, is estimated, and the same of moved and
 * related pairs where fields may be shared and the data has such pairs: what random pairs are like is
 * known from random pairs.
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
  const same: Belief = {
    shares: values.map((v) => believed(levelCount(v))),
    field: (f, shares, seen) => ({
      shares,
      weights: values[f]!.field.weights ? handWeights(values[f]!) : weightsOf(shares, random[f]!, seen),
      common: shares.map(() => 1),
    }),
  };
  const shared = values.map((v) => v.shared);
  const fitted = (names: readonly PairKind["kind"][]): { kinds: Kind[]; gain: number } =>
    fit([same, ...names.map((name) => beliefOf(name, same, random, shared))], sample, pairs, records);
  let best = fitted([]);
  let names: PairKind["kind"][] = [];
  // Of two fields it can't be told which of them go together.
  if (values.length > 2 && shared.includes(true) && shared.includes(false) && !values.some((v) => v.field.weights)) {
    for (const name of ["related", "moved"] as const) {
      const more = fitted([...names, name]);
      // Where hardly any are the same, what is taken for them is what only belongs together.
      const mistaken = name === "related" && alikeIn(best.kinds[0]!, shared, false) < MISTAKEN;
      if (!mistaken && more.gain - best.gain < WORTH_A_KIND) continue;
      if (!isOfItsKind(name, more.kinds[0]!, more.kinds.at(-1)!, shared)) continue;
      best = more;
      names = [...names, name];
    }
  }
  const kinds = sample.own.count < sample.count ? withOwnShares(best.kinds, sample, pairs / records) : best.kinds;
  const [first, ...others] = kinds as [Kind, ...Kind[]];
  return {
    prior: first.prior,
    fields: first.fields.map(({ shares, weights }, f) => ({
      m: [...shares],
      u: [...random[f]!],
      weights: [...weights],
    })),
    ...(names.length > 0 && { kinds: others.map((k, i) => ({ kind: names[i]!, ...k })) }),
  };
}

/** By so many bits a sample must be more likely by one more kind of pairs. */
const WORTH_A_KIND = 16;
/** Fewer than this share of the same pairs may be anything. */
const WORTH_TELLING = 0.1;
/** Same pairs are more alike than this in what is not shared. */
const MISTAKEN = 0.5;
/** How much of each other kind is thought to be in a field against what is said of it, before any pair was seen. */
const MAYBE = 0.3;

/** Pairs that are like the same ones in some fields and like random ones in the others. */
function beliefOf(
  kind: PairKind["kind"],
  same: Belief,
  random: readonly (readonly number[])[],
  shared: readonly boolean[],
): Belief {
  const isAlike = (f: number): boolean => shared[f] === (kind === "related");
  return {
    shares: same.shares.map((m, f) => (isAlike(f) ? m : random[f]!)),
    first: same.shares.map((m, f) =>
      isAlike(f) ? m : m.map((share, l) => MAYBE * share + (1 - MAYBE) * random[f]![l]!),
    ),
    field: (f, shares, seen) => ({
      shares,
      weights: weightsOf(shares, random[f]!, seen),
      common: shares.map((share, l) => commonOf(share, random[f]![l]!)),
    }),
  };
}

/** How much pairs of a kind are alike in the fields that may be shared, or in the others: the mean share of the two highest levels. */
function alikeIn(kind: Kind, shared: readonly boolean[], which: boolean): number {
  const list = kind.fields.filter((_, f) => shared[f] === which).map(({ shares }) => shares[0]! + shares[1]!);
  return list.reduce((a, b) => a + b, 0) / list.length;
}

/** Whether pairs that were found turned out as they were thought to be. */
function isOfItsKind(kind: PairKind["kind"], same: Kind, other: Kind, shared: readonly boolean[]): boolean {
  const which = kind === "related";
  if (other.prior < WORTH_TELLING * same.prior) return false;
  return alikeIn(other, shared, which) > 0.5 && alikeIn(other, shared, !which) < 0.7 * alikeIn(same, shared, !which);
}

/** Weights set by hand; values that stand in each other's fields say as much as the second level. */
function handWeights(values: Values): number[] {
  const own = values.field.weights!;
  return [...own, own[1]!];
}
