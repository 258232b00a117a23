import type { Joined } from "./count.ts";
import { countWithin } from "./measured.ts";

/** What is known of a limit, in bits: what share of what would be joined from there on would be wrong, and between which shares that is with 95 %, where it is counted. */
export interface CurvePoint {
  readonly bits: number;
  readonly wrong: number;
  readonly within: { readonly low: number; readonly high: number } | null;
}

/**
 * What share would be wrong by limit, the limits ascending: never more at a higher limit than at a lower one. Of the
 * few pairs from a high limit on half a look-alike that may be there is a large share, which says nothing of them.
 */
export function curveOf(list: readonly Joined[]): CurvePoint[] {
  let wrong = 1;
  return list.map((j) => {
    if (j.joined === 0) return { bits: j.limit, wrong, within: null };
    const share = (n: number): number => Math.min(1, n / j.joined);
    wrong = Math.min(wrong, share(j.wrong));
    if (j.seen === null) return { bits: j.limit, wrong, within: null };
    const { low, high } = countWithin(j.wrong, j.seen);
    return { bits: j.limit, wrong, within: { low: Math.min(wrong, share(low)), high: Math.max(wrong, share(high)) } };
  });
}
