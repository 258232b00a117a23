/** A share that was counted, with the interval in which it is likely to be. */
export interface Interval {
  readonly share: number;
  readonly low: number;
  readonly high: number;
}

/** The normal deviate of 95 of 100. */
const Z = 1.959964;

/** The share of `right` among `all`, with its interval of 95 % (Wilson 1927); null where there is nothing to count. */
export function wilson(right: number, all: number): Interval | null {
  if (all === 0) return null;
  const share = right / all;
  const middle = (share + (Z * Z) / (2 * all)) / (1 + (Z * Z) / all);
  const half = (Z / (1 + (Z * Z) / all)) * Math.sqrt((share * (1 - share)) / all + (Z * Z) / (4 * all * all));
  return { share, low: Math.max(0, middle - half), high: Math.min(1, middle + half) };
}

const percent = (x: number): string => `${Math.round(x * 1000) / 10} %`;

/** “of 34 decided pairs 33 are the same, 97.1 % (85.1 to 99.5 %)”. */
export function measuredWords(right: number, all: number): string | null {
  const at = wilson(right, all);
  if (!at) return null;
  return `of ${all} decided pairs ${right} are the same, ${percent(at.share)} (${percent(at.low).replace(" %", "")} to ${percent(at.high)})`;
}

/** How much narrower the interval would be with so many more answers of which as many are right: its width now and then. */
export function withMore(right: number, all: number, more: number): { now: number; then: number } {
  const width = (at: Interval | null): number => (at ? at.high - at.low : 1);
  const share = all === 0 ? 0.5 : right / all;
  return { now: width(wilson(right, all)), then: width(wilson((all + more) * share, all + more)) };
}
