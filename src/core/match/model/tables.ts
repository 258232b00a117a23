import { MISSING, type KindField } from "./density.ts";
import { hanging } from "./kinds.ts";
import type { RestDensity } from "./tree.ts";

/** Levels that a field has at most, so that tables of them can lie side by side. */
export const LEVELS = 16;

/** Fields of kinds as tables, which are read much faster: by field and level, the kinds side by side. */
interface Tables {
  readonly weights: Float64Array;
  readonly common: Float64Array;
}

export function tablesOf(kinds: readonly (readonly KindField[])[]): Tables {
  const many = kinds.length;
  const size = (kinds[0]?.length ?? 0) * LEVELS * many;
  const [weights, common] = [new Float64Array(size), new Float64Array(size)];
  kinds.forEach((fields, k) =>
    fields.forEach((field, f) =>
      field.weights.forEach((w, l) => {
        const at = (f * LEVELS + l) * many + k;
        weights[at] = w;
        common[at] = field.common[l]!;
      }),
    ),
  );
  return { weights, common };
}

/**
 * What says by how many bits a pair is likelier to have nothing to do with each other than one whose fields are taken
 * at random: each field by itself, or by the level of the field that it hangs on. The pair's levels and rarities stand
 * in lists from a place on.
 */
export function restBitsOf({
  fields,
  edges,
}: RestDensity): (levels: Uint8Array, rarity: Float32Array, at: number) => number {
  const alone = tablesOf([fields]);
  const hangs = hanging({ fields, edges });
  const roots = fields.flatMap((_, f) => (hangs[f] === 0 ? [f] : []));
  const given = edges.map(({ field, parent, by }) => ({ field, parent, ...tablesOf([by]) }));
  return (levels, rarity, at) => {
    let sum = 0;
    for (let r = 0; r < roots.length; r++) {
      const f = roots[r]!;
      const l = levels[at + f]!;
      if (l !== MISSING) sum += alone.weights[f * LEVELS + l]! + alone.common[f * LEVELS + l]! * rarity[at + f]!;
    }
    for (let e = 0; e < given.length; e++) {
      const { field, parent, weights, common } = given[e]!;
      const l = levels[at + field]!;
      if (l === MISSING) continue;
      const k = levels[at + parent]!;
      if (k === MISSING) {
        const i = field * LEVELS + l;
        sum += alone.weights[i]! + alone.common[i]! * rarity[at + field]!;
      } else sum += weights[k * LEVELS + l]! + common[k * LEVELS + l]! * rarity[at + field]!;
    }
    return sum;
  };
}
