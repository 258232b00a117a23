import { MISSING, bounded, looseField, orderedField, sharesOf, silentField, type KindField } from "./density.ts";
import type { Pool } from "../pairs/draw.ts";
import { LIKELY_BITS, simpleScores, type FieldFacts } from "./fields.ts";
import { firstChances, noChances } from "./guess.ts";
import { isSame, type Active, type Fit, type Kind, type KindName, type Source, type Start } from "./kinds.ts";
import { eachAlone, patternsOf, placesOf, rowsAt, some, type Patterns } from "./patterns.ts";
import { LEVELS, restBitsOf, tablesOf } from "./tables.ts";
import { LevelCounts, restDensity, type RestDensity } from "./tree.ts";

/** How many pairs what is thought of a kind beforehand is worth. */
const BELIEVED_SAME = 30;
const BELIEVED_RELATED = 10;
/** Same pairs differ in a field no more often than this. */
const MOST_DIFFERENT = { many: 0.35, few: 0.15 };
const TURNS = { least: 10, most: 26 };
/** Where no pair is the same half a one may be (Jeffreys 1946). */
const UNSEEN_PAIRS = 0.5;
/** The tree is built anew at these turns. */
const REBUILT = new Set([0, 3, 6]);
/** A pair with fewer bits than this for every kind is none of them. */
const HOPELESS = -30;

/** What is thought of the levels of a kind's fields before any pair was seen, in pairs. */
function beforehand(name: KindName, facts: readonly FieldFacts[]): number[][] {
  return facts.map(({ believed, u, shared }) => {
    if (name === "same") return believed.map((x) => x * BELIEVED_SAME);
    if (name === "moved") return (shared ? u : believed).map((x) => x * BELIEVED_SAME);
    return believed.map((x, l) => ((x + u[l]!) / 2) * BELIEVED_RELATED);
  });
}

/** By kind and field, what the levels are worth in pairs: what was thought of them, and each pair by how likely it is of the kind. */
function countLevels(
  kinds: readonly KindName[],
  active: readonly Active[],
  facts: readonly FieldFacts[],
): readonly number[][][] {
  const [width, many] = [facts.length, kinds.length];
  // Kinds lie side by side, as each level is read once for all of them.
  const counts = new Float64Array(width * LEVELS * many);
  kinds.forEach((name, k) =>
    beforehand(name, facts).forEach((list, f) => list.forEach((n, l) => (counts[(f * LEVELS + l) * many + k] = n))),
  );
  const worth = new Float64Array(many);
  for (const { patterns, chances } of active) {
    const { count, levels, weight } = patterns;
    for (let p = 0; p < count; p++) {
      let all = 0;
      for (let k = 0; k < many; k++) all += worth[k] = chances[k]![p]! * weight[p]!;
      if (all === 0) continue;
      for (let f = 0, at = p * width; f < width; f++, at++) {
        const l = levels[at]!;
        if (l === MISSING) continue;
        const i = (f * LEVELS + l) * many;
        for (let k = 0; k < many; k++) counts[i + k]! += worth[k]!;
      }
    }
  }
  return kinds.map((_, k) =>
    facts.map(({ levels }, f) => Array.from({ length: levels }, (__, l) => counts[(f * LEVELS + l) * many + k]!)),
  );
}

/** What a kind is like, by what its levels are worth in pairs. */
function fieldsOf(
  name: KindName,
  counts: readonly number[][],
  facts: readonly FieldFacts[],
  most: number,
): KindField[] {
  return facts.map(({ u, different, silent, shared, byHand }, f) => {
    if (silent) return silentField(u);
    const shares = sharesOf(counts[f]!);
    if (!isSame(name)) return looseField(shares, u);
    const held = name === "moved" && shared ? shares : bounded(shares, different, most);
    const field = orderedField(held, u, counts[f]!);
    return byHand ? { ...field, weights: byHand } : field;
  });
}

/** How many pairs a source has in all. */
function pairsOf({ pool }: Source): number {
  return Math.max(1, pool.records * pool.others);
}

/** The shares of the kinds in each source: those that are the same for each by itself, those that belong together for all. */
function learnPriors(start: Start, active: readonly (Active & { readonly source: Source })[]): number[][] {
  const sums = start.kinds.map((_, k) =>
    active.map(({ patterns, chances }) => {
      let sum = 0;
      for (let p = 0; p < patterns.count; p++) sum += chances[k]![p]! * patterns.weight[p]!;
      return sum;
    }),
  );
  const all = active.reduce((n, a) => n + pairsOf(a.source), 0);
  return start.kinds.map((name, k) => {
    if (!isSame(name)) {
      const share = Math.max(1e-13, Math.min(0.3, sums[k]!.reduce((a, b) => a + b, 0) / all));
      return active.map(() => share);
    }
    return active.map(({ source }, s) => {
      const pairs = pairsOf(source);
      const most = source.single
        ? Math.min(1 / source.pool.others, 1 / Math.max(1, source.pool.all))
        : source.sought || start.mostWithin === undefined
          ? 0.3
          : start.mostWithin / source.pool.others;
      // One that was not seen may be there all the same.
      return Math.max(1e-13, Math.min(most, (sums[k]![s]! + (name === "same" ? UNSEEN_PAIRS : 0)) / pairs));
    });
  });
}

/** All pairs of the pools, counted by the levels of their fields. */
export function countAll(sources: readonly Source[], facts: readonly FieldFacts[]): LevelCounts {
  const counts = new LevelCounts(facts.map((f) => f.levels));
  for (const { pool } of sources) counts.add(eachAlone(pool), () => 1);
  return counts;
}

/** A source of which only pairs are left that may be of a kind, each by itself and by their patterns. */
export interface Likely {
  readonly source: Source;
  readonly pairs: Patterns;
  readonly patterns: Patterns;
  /** By pair and field: 1 where the values have other numbers. */
  readonly otherNumbers: Uint8Array;
}

/** The sources without the pairs that are of no kind whatever comes. How many pairs there are in all stays. */
export function withoutUnlikely({ sources, facts, otherNumbers }: FitTask): Likely[] {
  const width = facts.length;
  return sources.map((source, s) => {
    const all = source.pool;
    const scores = simpleScores(all, facts);
    const from = placesOf(all.count, (p) => scores[p]! > -LIKELY_BITS);
    const size = from.length * width;
    const pool: Pool = {
      ...all,
      count: from.length,
      owner: from.map((p) => all.owner[p]!),
      other: from.map((p) => all.other[p]!),
      weight: Float32Array.from(from, (p) => all.weight[p]!),
      candidate: Uint8Array.from(from, (p) => all.candidate[p]!),
      alike: rowsAt(from, all.alike, new Uint8Array(size), width),
      levels: rowsAt(from, all.levels, new Uint8Array(size), width),
      rarity: rowsAt(from, all.rarity, new Float32Array(size), width),
    };
    return {
      source: { ...source, pool },
      pairs: eachAlone(pool),
      patterns: patternsOf(pool, width),
      otherNumbers: rowsAt(from, otherNumbers[s]!, new Uint8Array(size), width),
    };
  });
}

/**
 * Kinds of pairs that explain the pools, by expectation-maximisation (Dempster, Laird and Rubin, 1977):
 * pairs that are the same, pairs that belong together without being the same, and the rest, in which one
 * field may hang on another. Pairs that belong together are as frequent within a side as across, same
 * ones only where they are looked for (two populations with one test: Hui and Walter, 1980).
 *
 * `sources`: without unlikely pairs; `everything`: with them.
 */
export function fit(
  start: Start,
  sources: readonly Likely[],
  facts: readonly FieldFacts[],
  everything: LevelCounts,
  labels: Labelled | null = null,
): Fit {
  const width = facts.length;
  const widths = facts.map((f) => f.levels);
  const u = facts.map((f) => f.u);
  const most = start.few || start.strict ? MOST_DIFFERENT.few : MOST_DIFFERENT.many;
  // First guesses are of each pair by itself, and patterns of them from then on.
  let active: (Active & { readonly source: Source })[] = sources.map(({ source, pairs }) => ({
    source,
    patterns: pairs,
    chances: firstChances(source, facts, start),
  }));
  const taught = labels && taughtBy(labels, start);
  let priors: number[][] = [];
  let fields: KindField[][] = [];
  let rest!: RestDensity;
  let gain = 0;
  let edges: RestDensity["edges"] = [];
  for (let turn = 0; turn <= TURNS.most; turn++) {
    const before = priors;
    priors = learnPriors(start, active);
    const counted = countLevels(start.kinds, taught ? [...active, taught] : active, facts);
    fields = start.kinds.map((name, k) => fieldsOf(name, counted[k]!, facts, most));
    const taken = new LevelCounts(widths, REBUILT.has(turn) ? undefined : edges);
    for (const { patterns, chances } of active) {
      taken.add(patterns, (p) => {
        let sum = 0;
        for (const list of chances) sum += list[p]!;
        return sum;
      });
    }
    rest = restDensity(everything.without(taken), u, start.withTree, REBUILT.has(turn) ? null : edges);
    edges = rest.edges;
    rest = silenced(rest, facts);
    const moved =
      before.length === 0
        ? 1
        : Math.max(...priors.flatMap((list, k) => list.map((x, s) => Math.abs(Math.log2(x / before[k]![s]!)))));
    if (turn >= TURNS.most || (turn >= TURNS.least && moved < 0.01)) break;
    if (turn === 0) active = sources.map((s) => ({ ...s, chances: noChances(start, s.patterns.count) }));
    gain = expect(active, priors, fields, rest);
    if (taught) {
      expect([taught], priors, fields, rest);
      clamp(taught, labels!.same, start);
    }
    if (turn === 2) {
      active = active.map(({ source, patterns, chances }) => {
        const kept = some(patterns, width, (p) => chances.some((list) => list[p]! > 1e-7));
        return {
          source,
          patterns: kept.patterns,
          chances: chances.map((list) => Float64Array.from(kept.from, (p) => list[p]!)),
        };
      });
    }
  }
  const kinds = start.kinds.map((name, k): Kind => ({ name, fields: fields[k]!, prior: priors[k]! }));
  const otherNumbers = otherNumbersOf(start, sources, facts, { priors, fields, rest });
  return { start, kinds, rest, gain, otherNumbers };
}

/** What of a fit pairs are judged by while it is made. */
interface Fitted {
  readonly priors: readonly (readonly number[])[];
  readonly fields: readonly (readonly KindField[])[];
  readonly rest: RestDensity;
}

/** By kind and field: of the pairs that have both values the share in which these have other numbers; of fields that may be shared, of those that are alike. */
function otherNumbersOf(
  start: Start,
  sources: readonly Likely[],
  facts: readonly FieldFacts[],
  { priors, fields, rest }: Fitted,
): number[][] {
  const width = facts.length;
  const judged = sources.map(({ source, pairs, otherNumbers }) => ({
    source,
    otherNumbers,
    patterns: pairs,
    chances: noChances(start, pairs.count),
  }));
  expect(judged, priors, fields, rest);
  return start.kinds.map((_, k) =>
    facts.map(({ different, shared }, f) => {
      let [other, all] = [0, 0];
      for (const { otherNumbers, patterns, chances } of judged) {
        const { count, levels, weight } = patterns;
        for (let p = 0; p < count; p++) {
          const l = levels[p * width + f]!;
          if (l === MISSING || (shared && different[l])) continue;
          const worth = chances[k]![p]! * weight[p]!;
          all += worth;
          if (otherNumbers[p * width + f] === 1) other += worth;
        }
      }
      return all === 0 ? 0 : other / all;
    }),
  );
}

/** Pairs that people have decided. */
export interface Labelled {
  readonly pool: Pool;
  /** By pair: 1 where it is the same. */
  readonly same: Uint8Array;
}

/** A decided pair counts like so many that are only likely. */
const LABEL_WEIGHT = 2;

/** Decided pairs as they are begun with: the same as the same, the others as what belongs together and as the rest alike. */
function taughtBy({ pool, same }: Labelled, start: Start): Active {
  const weight = new Float32Array(pool.count).fill(LABEL_WEIGHT);
  const others = start.kinds.filter((name) => !isSame(name)).length;
  const chances = start.kinds.map((name) =>
    Float64Array.from(same, (is) => (is === 1 ? (name === "same" ? 1 : 0) : isSame(name) ? 0 : 1 / (others + 1))),
  );
  return { source: null, patterns: eachAlone({ ...pool, weight }), chances };
}

/** What people have said holds: of the kinds that it leaves open each keeps its share (estimation with labels, Nigam et al. 2000). */
function clamp({ patterns, chances }: Active, same: Uint8Array, start: Start): void {
  for (let p = 0; p < patterns.count; p++) {
    const is = same[p] === 1;
    let all = 0;
    let rest = 1;
    start.kinds.forEach((name, k) => {
      rest -= chances[k]![p]!;
      if (isSame(name) === is) all += chances[k]![p]!;
    });
    if (!is) all += Math.max(0, rest);
    start.kinds.forEach((name, k) => {
      if (isSame(name) !== is) chances[k]![p] = 0;
      else if (all > 1e-12) chances[k]![p]! /= all;
      else chances[k]![p] = name === "same" ? 1 : 0;
    });
  }
}

/** Fields that say nothing say nothing of the rest either. */
function silenced({ fields, edges }: RestDensity, facts: readonly FieldFacts[]): RestDensity {
  return {
    fields: fields.map((field, f) => (facts[f]!.silent || facts[f]!.byHand ? silentField(facts[f]!.u) : field)),
    edges: edges.filter(({ field, parent }) => !facts[field]!.silent && !facts[parent]!.silent),
  };
}

/** For each kind and pair the probability that the pair is of it; gives the bits by which the pairs are likelier than if all were random. */
function expect(
  active: readonly Active[],
  priors: readonly (readonly number[])[],
  fields: readonly (readonly KindField[])[],
  rest: RestDensity,
): number {
  const [width, many] = [rest.fields.length, fields.length];
  const { weights, common } = tablesOf(fields);
  const restOf = restBitsOf(rest);
  const bits = new Float64Array(many);
  let gain = 0;
  active.forEach(({ patterns, chances }, s) => {
    const { count, levels, rarity, weight } = patterns;
    const odds = Float64Array.from(priors, (list) => Math.log2(list[s]!));
    const left = Math.log2(1 - priors.reduce((n, list) => n + list[s]!, 0));
    for (let p = 0; p < count; p++) {
      const at = p * width;
      bits.set(odds);
      for (let f = 0; f < width; f++) {
        const l = levels[at + f]!;
        if (l === MISSING) continue;
        const i = (f * LEVELS + l) * many;
        const r = rarity[at + f]!;
        if (r === 0) for (let k = 0; k < many; k++) bits[k]! += weights[i + k]!;
        else for (let k = 0; k < many; k++) bits[k]! += weights[i + k]! + common[i + k]! * r;
      }
      const against = left + restOf(levels, rarity, at);
      let all = 1;
      for (let k = 0; k < many; k++) {
        const d = bits[k]! - against;
        all += chances[k]![p] = d < HOPELESS ? 0 : 2 ** Math.min(60, d);
      }
      for (let k = 0; k < many; k++) chances[k]![p]! /= all;
      gain += weight[p]! * (against + Math.log2(all));
    }
  });
  return gain;
}

/** What is fitted, and from which starts. */
export interface FitTask {
  readonly sources: readonly Source[];
  readonly facts: readonly FieldFacts[];
  readonly starts: readonly Start[];
  readonly labels: Labelled | null;
  /** By source, pair and field: 1 where the values have other numbers. */
  readonly otherNumbers: readonly Uint8Array[];
}

/** The fit of each start. */
export function fitsOf(task: FitTask): Fit[] {
  const { sources, facts, starts, labels } = task;
  const everything = countAll(sources, facts);
  const likely = withoutUnlikely(task);
  return starts.map((start) => fit(start, likely, facts, everything, labels));
}
