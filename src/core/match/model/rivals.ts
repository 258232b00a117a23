/** Whether a record of the one side has one same one at most on the other, so that its candidates speak against each other. */
export interface Rivals {
  /** The known records that one incoming one may be. */
  readonly byA: boolean;
  /** The incoming records that one known one may be. */
  readonly byB: boolean;
}

export const NO_RIVALS: Rivals = { byA: false, byB: false };

/** Odds of which no more is made. */
const MOST_BITS = 60;

/**
 * Weighs the candidates of one record against each other: each one's odds over one plus those of its
 * rivals. `bits` are changed in place; a pair whose `b` is negative has none.
 */
export function weighRivals(
  bits: Float64Array | Float32Array,
  a: ArrayLike<number>,
  b: ArrayLike<number>,
  count: number,
  { byA, byB }: Rivals,
): void {
  if (!byA && !byB) return;
  const sums = [new Map<number, number>(), new Map<number, number>()] as const;
  const odds = Float64Array.from({ length: count }, (_, i) => 2 ** Math.min(MOST_BITS, bits[i]!));
  const add = (map: Map<number, number>, key: number, i: number): void => {
    map.set(key, (map.get(key) ?? 0) + odds[i]!);
  };
  for (let i = 0; i < count; i++) {
    if (b[i]! < 0) continue;
    if (byA) add(sums[0], a[i]!, i);
    if (byB) add(sums[1], b[i]!, i);
  }
  for (let i = 0; i < count; i++) {
    if (b[i]! < 0) continue;
    const own = odds[i]!;
    const others = (map: Map<number, number>, key: number): number => Math.max(0, (map.get(key) ?? own) - own);
    const rivals = others(sums[0], a[i]!) + others(sums[1], b[i]!);
    if (rivals > 0) bits[i] = Math.min(MOST_BITS, bits[i]!) - Math.log2(1 + rivals);
  }
}
