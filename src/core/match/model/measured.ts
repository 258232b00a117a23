import { counted, grouped } from "../../kernel/problem.ts";

/** A share that was counted, with the interval in which it is likely to be. */
export interface Interval {
  readonly share: number;
  readonly low: number;
  readonly high: number;
}

/** The normal deviate of 95 of 100. */
const Z = 1.959964;

/** The share of `right` among `all`, with its interval of `z` normal deviates, of 95 % unless said (Wilson 1927); null where there is nothing to count. */
export function wilson(right: number, all: number, z = Z): Interval | null {
  if (all === 0) return null;
  const share = right / all;
  const middle = (share + (z * z) / (2 * all)) / (1 + (z * z) / all);
  const half = (z / (1 + (z * z) / all)) * Math.sqrt((share * (1 - share)) / all + (z * z) / (4 * all * all));
  return { share, low: Math.max(0, middle - half), high: Math.min(1, middle + half) };
}

/** Of means that are greater the normal deviate is near enough. */
const GREAT_MEAN = 200;

/**
 * Between which numbers 95 of 100 counts are whose mean is known by so many that were seen elsewhere: their mean is gamma
 * distributed with the shape `seen` and the mean `mean`, so that the count is negative binomial (Greenwood and Yule, 1920).
 */
export function countWithin(mean: number, seen: number): { low: number; high: number } {
  const scale = mean / seen;
  if (mean > GREAT_MEAN) {
    const half = Z * Math.sqrt(mean * (1 + scale));
    return { low: Math.max(0, mean - half), high: mean + half };
  }
  let p = (1 + scale) ** -seen;
  let below = p;
  let low = -1;
  for (let n = 0; ; n++) {
    if (low < 0 && below >= 0.025) low = n;
    if (below >= 0.975 || p === 0) return { low: Math.max(0, low), high: n };
    p *= ((seen + n) / (n + 1)) * (scale / (1 + scale));
    below += p;
  }
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

/** What people said about the pairs of a load, beside what their scores said. */
export interface Answers {
  /** Questions that were answered, those of them that are the same, and how many the scores had expected to be. */
  readonly answered: number;
  readonly same: number;
  readonly expected: number;
  /** Answers that are another than what was the likelier by the score. */
  readonly otherwise: number;
  /** Pairs that were joined without a question, and those of them that people have taken apart. */
  readonly joined: number;
  readonly parted: number;
}

/** How people's answers differ from the scores, in sentences; none where nobody has answered or looked. */
export function answersWords({ answered, same, expected, otherwise, joined, parted }: Answers): string[] {
  const share = (n: number, of: number): string => `${Math.round((100 * n) / of)} %`;
  return [
    ...(answered > 0
      ? [
          `${grouped(same)} of ${counted(answered, "answered question")} ${same === 1 ? "was" : "were"} the same, where the scores had expected ${grouped(Math.round(expected))}; people said otherwise than was likelier in ${grouped(otherwise)} (${share(otherwise, answered)}).`,
        ]
      : []),
    ...(joined > 0 && parted > 0
      ? [
          `${grouped(parted)} of ${counted(joined, "pair")} that ${joined === 1 ? "was" : "were"} joined without a question ${parted === 1 ? "was" : "were"} taken apart.`,
        ]
      : []),
  ];
}
