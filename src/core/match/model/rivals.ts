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
/** What is less adds nothing to one that a number of 53 bits can hold. */
const NOTHING = 2 ** -54;

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
  const odds = new Float64Array(count);
  for (let i = 0; i < count; i++) odds[i] = 2 ** Math.min(MOST_BITS, bits[i]!);
  const ofA = byA ? sumsOf(a, b, odds) : null;
  const ofB = byB ? sumsOf(b, b, odds) : null;
  for (let i = 0; i < count; i++) {
    if (b[i]! < 0) continue;
    const own = odds[i]!;
    const rivals = (ofA ? Math.max(0, ofA[a[i]!]! - own) : 0) + (ofB ? Math.max(0, ofB[b[i]!]! - own) : 0);
    if (rivals > 0) bits[i] = Math.min(MOST_BITS, bits[i]!) - (rivals < NOTHING ? 0 : Math.log2(1 + rivals));
  }
}

/** The odds of a record's pairs, summed by the records' numbers. */
function sumsOf(records: ArrayLike<number>, b: ArrayLike<number>, odds: Float64Array): Float64Array {
  let last = -1;
  for (let i = 0; i < odds.length; i++) if (b[i]! >= 0 && records[i]! > last) last = records[i]!;
  const sums = new Float64Array(last + 1);
  for (let i = 0; i < odds.length; i++) if (b[i]! >= 0) sums[records[i]!]! += odds[i]!;
  return sums;
}
