import type { Pool } from "../pairs/draw.ts";
import type { RecordPairs } from "../pairs/record-pairs.ts";
import { MISSING } from "./density.ts";
import { simpleScores, tellsNext, type FieldFacts } from "./fields.ts";

/** By pair and field of a pool: 1 where the values have other numbers, in fields that tell things apart, of pairs that may be the same. */
export function otherNumbersIn(pool: Pool, pairs: RecordPairs, facts: readonly FieldFacts[]): Uint8Array {
  const width = facts.length;
  const marks = new Uint8Array(pool.count * width);
  const fields = facts.flatMap((f, i) => (tellsNext(f) ? [i] : []));
  const scores = simpleScores(pool, facts);
  for (let p = 0; p < pool.count; p++) {
    if (scores[p]! <= 0) continue;
    const [a, b] = [pool.drawn[pool.owner[p]!]!, pool.other[p]!];
    for (const f of fields) {
      const level = pool.levels[p * width + f]!;
      if (level > 0 && level !== MISSING && pairs.otherNumbers(f, a, b)) marks[p * width + f] = 1;
    }
  }
  return marks;
}
