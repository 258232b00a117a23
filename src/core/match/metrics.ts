import type { Choice } from "./model/choose.ts";
import { UNLABELLED } from "./model/count.ts";
import { type Pairs } from "./match.ts";
import { limitsOf, type Band, type LimitsInUse } from "./limits.ts";
import type { MatchModel } from "./model/model.ts";
import { bitsOf, probabilityOf } from "./model/score.ts";
import { estimateOfLimits, wrongFrom, type LimitsEstimate, type Resolution } from "./resolve.ts";
import { comparedNames, type MatchSection } from "./schema.ts";

/** How many stretches of the scores from 0 to 100 are counted. */
export const BINS = 100;
/** Pairs of each stretch that are shown as samples. */
const SAMPLES = 3;

/** What a match compared and found, for the load report. */
export interface MatchMetrics {
  /** Records that were compared, and rows of the target and entries of a reference list that they were compared with. */
  readonly compared: number;
  readonly known: number;
  /** Left out by loads from before there were any. */
  readonly entries?: number;
  readonly pairs: Record<Band, number>;
  readonly merged: number;
  readonly waiting: number;
  /** Records that are none of the two. */
  readonly fresh: number;
  /** Candidates by score, in `BINS` stretches of equal width; lower ones than 20 are not kept. */
  readonly scores: readonly number[];
  /** By stretch: how many of its pairs are the same, as the model thinks. */
  readonly likely: readonly number[];
  /** Some pairs of each stretch, with the values that are compared. */
  readonly samples: readonly PairSample[];
  /** The limits that were used. */
  readonly limits: LimitsInUse;
  /** What is known of the limits without anyone's labels; left out by loads from before it was, which have the model's word alone. */
  readonly estimate?: LimitsEstimate;
  readonly thought?: { readonly precision: number; readonly recall: number };
  /** The limits that follow from the data, whether they were used or others were set by hand. Left out by loads from before they were known. */
  readonly fromData?: { readonly limits: LimitsInUse; readonly estimate: LimitsEstimate };
  /** By stretch of the scores: what share of the pairs from its beginning on would be joined wrongly, where it could be counted. */
  readonly wrong?: readonly number[];
  readonly model: MatchModel;
  readonly fields: readonly string[];
}

export interface PairSample {
  readonly score: number;
  readonly a: readonly string[];
  readonly b: readonly string[];
  readonly shares: readonly number[];
}

function rounded(x: number): number {
  return Math.round(x * 10_000) / 10_000;
}

function binOf(score: number): number {
  return Math.min(BINS - 1, Math.floor((score / 100) * BINS));
}

/** Numbers of pairs to be shown as samples: the first ones of each stretch of the scores. */
export function samplePairs(scores: Float64Array): number[] {
  const taken = new Uint8Array(BINS);
  const chosen: number[] = [];
  scores.forEach((score, i) => {
    if (taken[binOf(score)]!++ < SAMPLES) chosen.push(i);
    else taken[binOf(score)] = SAMPLES;
  });
  return chosen;
}

/** What is known of the limits of a load, whenever it was. */
export function estimateOf({ estimate, thought }: Pick<MatchMetrics, "estimate" | "thought">): LimitsEstimate {
  if (estimate) return estimate;
  const known = thought ?? { precision: null, recall: null };
  return { ...known, basis: thought ? "model" : null, doubts: [] };
}

/**
 * What would be the precision of the pairs from a limit on, and the share of all same pairs that
 * they are: by what was counted, else by the model, and, where people have decided pairs of a stretch,
 * by what they said. Null where there are none.
 * `decided`: by stretch of ten scores, how many of the pairs that people decided were the same.
 */
export function expectedAt(
  limit: number,
  { scores, likely, wrong }: Pick<MatchMetrics, "scores" | "likely" | "wrong">,
  decided: readonly { readonly from: number; readonly same: number; readonly all: number }[] = [],
): { precision: number | null; recall: number | null; pairs: number } {
  const said = new Map(decided.map((d) => [d.from, d]));
  let [right, pairs, all] = [0, 0, 0];
  scores.forEach((n, i) => {
    if (n === 0) return;
    const from = (i / BINS) * 100;
    const here = said.get(Math.floor(from / 10) * 10);
    // The model's word counts like that of eight decided pairs.
    const share = ((8 * likely[i]!) / n + (here?.same ?? 0)) / (8 + (here?.all ?? 0));
    all += share * n;
    if (from < limit) return;
    right += share * n;
    pairs += n;
  });
  const above = decided.filter((d) => d.from >= Math.floor(limit / 10) * 10);
  const answers = above.reduce((n, d) => n + d.all, 0);
  const same = above.reduce((n, d) => n + d.same, 0);
  // What was counted speaks like so many decided pairs as well.
  const precision = wrong
    ? 1 - (UNLABELLED * wrong[binOf(limit)]! + answers - same) / (UNLABELLED + answers)
    : right / pairs;
  return { precision: pairs === 0 ? null : precision, recall: pairs === 0 || all === 0 ? null : right / all, pairs };
}

function fromDataOf(pairs: Pairs, choice: Choice): NonNullable<MatchMetrics["fromData"]> {
  const limits = limitsOf({}, choice);
  return { limits, estimate: estimateOfLimits(pairs, limits, choice) };
}

export function metricsOf(input: {
  section: MatchSection;
  model: MatchModel;
  pairs: Pairs;
  found: Resolution;
  compared: number;
  known: number;
  entries: number;
  merged: number;
  waiting: number;
  limits: LimitsInUse;
  choice: Choice;
  estimate: LimitsEstimate;
  samples: readonly PairSample[];
}): MatchMetrics {
  const { section, model, pairs, found, compared, known, entries, merged, waiting, samples } = input;
  const { limits, choice, estimate } = input;
  const scores = new Array<number>(BINS).fill(0);
  const likely = new Array<number>(BINS).fill(0);
  found.scores.forEach((score, i) => {
    scores[binOf(score)]!++;
    likely[binOf(score)]! += probabilityOf(pairs.bits[i]!);
  });
  return {
    compared,
    known,
    entries,
    pairs: found.counts,
    merged,
    waiting,
    fresh: compared - merged - waiting,
    scores,
    likely: likely.map(rounded),
    samples,
    limits,
    estimate,
    fromData: fromDataOf(pairs, choice),
    ...(choice.basis === "counted" && {
      wrong: Array.from({ length: BINS }, (_, i) => rounded(wrongFrom(choice.curve, bitsOf((i / BINS) * 100)))),
    }),
    model,
    fields: comparedNames(section),
  };
}
