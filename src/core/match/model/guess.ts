import { MISSING } from "./density.ts";
import { LIKELY_BITS, bestPairs, simpleScores, type FieldFacts } from "./fields.ts";
import type { Source, Start } from "./kinds.ts";

/** How sure a first guess is. */
const SURE = 0.9;

/** By kind and pair, none yet. */
export function noChances({ kinds }: Start, count: number): Float64Array[] {
  return kinds.map(() => new Float64Array(count));
}

/** First guesses of what kind each likely pair is, from how many telling fields differ: by kind, of each pair. */
export function firstChances(source: Source, facts: readonly FieldFacts[], start: Start): Float64Array[] {
  const { pool } = source;
  const chances = noChances(start, pool.count);
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
      } else if (fact.identifying) {
        own++;
        if (!different) ownAgree++;
      }
      if (!fact.identifying) continue;
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
  return chances;
}
