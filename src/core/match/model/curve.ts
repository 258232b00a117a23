import type { Joined } from "./count.ts";
import { countWithin } from "./measured.ts";
import { neverFalling } from "./ordered.ts";

/** What is known of a limit, in bits: what share of what would be joined from there on would be wrong, and between which shares that is with 95 %, where it is counted. */
export interface CurvePoint {
  readonly bits: number;
  readonly wrong: number;
  readonly within: { readonly low: number; readonly high: number } | null;
}

/**
 * What share would be wrong by limit, the limits ascending: never less at a lower limit than at a higher one. A share of
 * a few pairs says little, so that each counts by how many would be joined.
 */
export function curveOf(list: readonly Joined[]): CurvePoint[] {
  const falling = list.toReversed();
  const shareOf = ({ joined }: Joined, n: number): number => (joined === 0 ? 0 : Math.min(1, n / joined));
  const shares = neverFalling(
    falling.map((j) => shareOf(j, j.wrong)),
    falling.map((j) => j.joined),
  );
  return falling
    .map((j, i): CurvePoint => {
      const wrong = shares[i]!;
      if (j.joined === 0 || j.seen === null) return { bits: j.limit, wrong, within: null };
      const { low, high } = countWithin(j.wrong, j.seen);
      const within = { low: Math.min(wrong, shareOf(j, low)), high: Math.max(wrong, shareOf(j, high)) };
      return { bits: j.limit, wrong, within };
    })
    .reverse();
}
