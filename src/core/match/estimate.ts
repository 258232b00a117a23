import { MISSING, bounded, looseField, orderedField, sharesOf, silentField, type KindField } from "./density.ts";
import type { Pool } from "./draw.ts";
import { LIKELY_BITS, bestPairs, simpleScores, type FieldFacts } from "./fields.ts";
import { LevelCounts, restDensity, type RestDensity } from "./tree.ts";

/** What kinds of pairs there are beside those that have nothing to do with each other. */
export type KindName = "same" | "moved" | "related" | "related-otherwise";

/** Pairs of the records with those of another side, or with one another. */
export interface Source {
  /** Known and arriving records, or all with one another; or one of the two with itself. */
  readonly side: "across" | "incoming" | "known";
  readonly pool: Pool;
  /** Whether same pairs are looked for here; else it is there to see what pairs are like that are not the same. */
  readonly sought: boolean;
  /** Whether a record has one same one at most here. */
  readonly single: boolean;
}

/** How the search for the kinds begins. */
export interface Start {
  readonly kinds: readonly KindName[];
  readonly withTree: boolean;
  /** Same pairs within a side are no more of all than this. */
  readonly mostWithin?: number;
  /** Whether same pairs are held to be as alike as where there are few fields. */
  readonly strict?: boolean;
  /** Whether there are so few fields that same pairs must be held to be more alike. */
  readonly few?: boolean;
}

export interface Kind {
  readonly name: KindName;
  readonly fields: readonly KindField[];
  /** By source: the share of all its pairs. */
  readonly prior: readonly number[];
}

export interface Fit {
  readonly start: Start;
  readonly kinds: readonly Kind[];
  readonly rest: RestDensity;
  /** By how many bits the pools are likelier than pairs taken at random field by field. */
  readonly gain: number;
}

/** How many pairs what is thought of a kind beforehand is worth. */
const BELIEVED_SAME = 30;
const BELIEVED_RELATED = 10;
/** Same pairs differ in a field no more often than this. */
const MOST_DIFFERENT = { many: 0.35, few: 0.15 };
const TURNS = { least: 10, most: 26 };
/** Where no pair is the same half a one may be (Jeffreys 1946). */
const UNSEEN_PAIRS = 0.5;
/** How sure a first guess is. */
const SURE = 0.9;
/** The tree is built anew at these turns. */
const REBUILT = new Set([0, 3, 6]);
/** A pair with fewer bits than this for every kind is none of them. */
const HOPELESS = -30;

export const isSame = (name: KindName): boolean => name === "same" || name === "moved";

/** Pairs that may be of a kind, with the probability that they are, by kind. */
interface Active {
  readonly source: Source;
  readonly pool: Pool;
  readonly chances: readonly Float64Array[];
}

/** The pairs of a pool that a test lets through. */
function some(pool: Pool, width: number, keep: (p: number) => boolean): { pool: Pool; from: Int32Array } {
  const list: number[] = [];
  for (let p = 0; p < pool.count; p++) if (keep(p)) list.push(p);
  const levels = new Uint8Array(list.length * width);
  const rarity = new Float32Array(list.length * width);
  list.forEach((p, i) => {
    levels.set(pool.levels.subarray(p * width, (p + 1) * width), i * width);
    rarity.set(pool.rarity.subarray(p * width, (p + 1) * width), i * width);
  });
  const weight = Float32Array.from(list, (p) => pool.weight[p]!);
  return { pool: { ...pool, count: list.length, levels, rarity, weight }, from: Int32Array.from(list) };
}

/** The bits of a pair for pairs that have nothing to do with each other. */
function restBits({ fields, edges }: RestDensity, hangs: Uint8Array, pool: Pool, p: number): number {
  const width = fields.length;
  const at = p * width;
  let sum = 0;
  for (let f = 0; f < width; f++) {
    const l = pool.levels[at + f]!;
    if (l !== MISSING && hangs[f] === 0) sum += fields[f]!.weights[l]! + fields[f]!.common[l]! * pool.rarity[at + f]!;
  }
  for (const { field, parent, by } of edges) {
    const l = pool.levels[at + field]!;
    if (l === MISSING) continue;
    const k = pool.levels[at + parent]!;
    const { weights, common } = k === MISSING ? fields[field]! : by[k]!;
    sum += weights[l]! + common[l]! * pool.rarity[at + field]!;
  }
  return sum;
}

/** By field: 1 where it hangs on another one. */
export function hanging({ fields, edges }: RestDensity): Uint8Array {
  const hangs = new Uint8Array(fields.length);
  for (const { field } of edges) hangs[field] = 1;
  return hangs;
}

/** First guesses of what kind each likely pair is, from how many telling fields differ. */
function firstChances(active: Active, facts: readonly FieldFacts[], start: Start): void {
  const { source, pool, chances } = active;
  const width = facts.length;
  const scores = simpleScores(pool, facts);
  const best = bestPairs(pool, scores);
  const isBest = new Uint8Array(pool.count);
  for (const p of best) if (p >= 0) isBest[p] = 1;
  const { kinds } = start;
  const [same, moved] = [kinds.indexOf("same"), kinds.indexOf("moved")];
  const related = kinds.indexOf("related");
  const otherwise = kinds.indexOf("related-otherwise");
  for (let p = 0; p < pool.count; p++) {
    if (scores[p]! < LIKELY_BITS) continue;
    let [present, differ, shared, sharedDiffer, own, ownAgree] = [0, 0, 0, 0, 0, 0];
    for (let f = 0; f < width; f++) {
      const fact = facts[f]!;
      const l = pool.levels[p * width + f]!;
      if (l === MISSING || fact.silent) continue;
      const different = fact.different[l]!;
      if (fact.shared) {
        shared++;
        if (different) sharedDiffer++;
      } else if (fact.telling) {
        own++;
        if (!different) ownAgree++;
      }
      if (!fact.telling) continue;
      present++;
      if (different) differ++;
    }
    // None is left to the rest, which would be taken for what it is not in the same measure from then on.
    const put = (kind: number, other: number): void => {
      chances[kind]![p] = other < 0 ? 1 : SURE;
      if (other >= 0) chances[other]![p] = 1 - SURE;
    };
    const enough = start.few ? 1 : 2;
    if (moved >= 0 && shared > 0 && sharedDiffer >= 0.6 * shared && ownAgree >= 2 && ownAgree === own) put(moved, same);
    else if (differ >= enough && differ >= 0.25 * present) {
      if (related >= 0) put(otherwise >= 0 && shared > 0 && sharedDiffer > shared / 2 ? otherwise : related, same);
    } else if (source.sought) {
      if (isBest[p] === 1 || !source.single) put(same, related);
    } else if (related >= 0) {
      // Repeats of its own that a side may have, or what is alike by chance: to be found out.
      chances[same]![p] = chances[related]![p] = 0.5;
    }
  }
}

/** What a kind is like, by what was thought of it and by how likely each pair is of it. */
function learnFields(
  name: KindName,
  k: number,
  active: readonly Active[],
  facts: readonly FieldFacts[],
  most: number,
): KindField[] {
  const width = facts.length;
  const before = facts.map(({ believed, u, shared }) => {
    if (name === "same") return believed.map((x) => x * BELIEVED_SAME);
    if (name === "moved") return (shared ? u : believed).map((x) => x * BELIEVED_SAME);
    return believed.map((x, l) => ((x + u[l]!) / 2) * BELIEVED_RELATED);
  });
  const counts = before.map((list) => [...list]);
  for (const { pool, chances } of active) {
    const list = chances[k]!;
    for (let p = 0; p < pool.count; p++) {
      const chance = list[p]! * pool.weight[p]!;
      if (chance === 0) continue;
      for (let f = 0; f < width; f++) {
        const l = pool.levels[p * width + f]!;
        if (l !== MISSING) counts[f]![l]! += chance;
      }
    }
  }
  return facts.map(({ u, different, silent, shared, byHand }, f) => {
    if (silent) return silentField(u);
    const shares = sharesOf(counts[f]!);
    if (!isSame(name)) {
      const field = looseField(shares, u);
      // Values in each other's fields are an error in writing one thing down, and nothing that related things have in common.
      return { ...field, weights: field.weights.map((w, l) => (l === u.length - 1 ? Math.min(0, w) : w)) };
    }
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
function learnPriors(start: Start, active: readonly Active[]): number[][] {
  const sums = start.kinds.map((_, k) =>
    active.map(({ pool, chances }) => {
      let sum = 0;
      for (let p = 0; p < pool.count; p++) sum += chances[k]![p]! * pool.weight[p]!;
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
  for (const { pool } of sources) counts.add(pool, () => 1);
  return counts;
}

/**
 * Kinds of pairs that explain the pools, by expectation-maximisation (Dempster, Laird and Rubin, 1977):
 * pairs that are the same, pairs that belong together without being the same, and the rest, in which one
 * field may hang on another. Pairs that belong together are as frequent within a side as across, same
 * ones only where they are looked for (two populations with one test: Hui and Walter, 1980).
 */
export function fit(
  start: Start,
  sources: readonly Source[],
  facts: readonly FieldFacts[],
  everything: LevelCounts,
): Fit {
  const width = facts.length;
  const widths = facts.map((f) => f.levels);
  const u = facts.map((f) => f.u);
  let active = sources.map((source): Active => {
    const scores = simpleScores(source.pool, facts);
    const { pool: kept } = some(source.pool, width, (p) => scores[p]! > -LIKELY_BITS);
    // Owners are told apart in the first guess.
    const places: number[] = [];
    for (let p = 0; p < source.pool.count; p++) if (scores[p]! > -LIKELY_BITS) places.push(p);
    const pool = {
      ...kept,
      owner: Int32Array.from(places, (p) => source.pool.owner[p]!),
      other: Int32Array.from(places, (p) => source.pool.other[p]!),
      candidate: Uint8Array.from(places, (p) => source.pool.candidate[p]!),
    };
    return { source, pool, chances: start.kinds.map(() => new Float64Array(pool.count)) };
  });
  for (const a of active) firstChances(a, facts, start);
  let priors: number[][] = [];
  let fields: KindField[][] = [];
  let rest!: RestDensity;
  let gain = 0;
  let edges: RestDensity["edges"] = [];
  for (let turn = 0; turn <= TURNS.most; turn++) {
    const before = priors;
    priors = learnPriors(start, active);
    fields = start.kinds.map((name, k) =>
      learnFields(name, k, active, facts, start.few || start.strict ? MOST_DIFFERENT.few : MOST_DIFFERENT.many),
    );
    const taken = new LevelCounts(widths, REBUILT.has(turn) ? undefined : edges);
    for (const { pool, chances } of active) {
      taken.add(pool, (p) => {
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
    gain = expect(active, priors, fields, rest);
    if (turn === 2) {
      active = active.map(({ source, pool, chances }) => {
        const { pool: kept, from } = some(pool, width, (p) => chances.some((list) => list[p]! > 1e-7));
        return { source, pool: kept, chances: chances.map((list) => Float64Array.from(from, (p) => list[p]!)) };
      });
    }
  }
  const kinds = start.kinds.map((name, k): Kind => ({ name, fields: fields[k]!, prior: priors[k]! }));
  return { start, kinds, rest, gain };
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
  const hangs = hanging(rest);
  const width = rest.fields.length;
  let gain = 0;
  active.forEach(({ pool, chances }, s) => {
    const odds = priors.map((list) => Math.log2(list[s]!));
    const left = Math.log2(1 - priors.reduce((n, list) => n + list[s]!, 0));
    const bits = new Float64Array(fields.length);
    for (let p = 0; p < pool.count; p++) {
      const at = p * width;
      for (let k = 0; k < fields.length; k++) {
        let sum = odds[k]!;
        const kind = fields[k]!;
        for (let f = 0; f < width; f++) {
          const l = pool.levels[at + f]!;
          if (l !== MISSING) sum += kind[f]!.weights[l]! + kind[f]!.common[l]! * pool.rarity[at + f]!;
        }
        bits[k] = sum;
      }
      const against = left + restBits(rest, hangs, pool, p);
      let all = 1;
      for (let k = 0; k < bits.length; k++) {
        const d = bits[k]! - against;
        all += chances[k]![p] = d < HOPELESS ? 0 : 2 ** Math.min(60, d);
      }
      for (let k = 0; k < bits.length; k++) chances[k]![p]! /= all;
      gain += pool.weight[p]! * (against + Math.log2(all));
    }
  });
  return gain;
}
