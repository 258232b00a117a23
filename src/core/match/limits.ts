import type { Choice } from "./model/choose.ts";
import { MOST_BITS, scoreOf } from "./model/score.ts";
import type { MatchLimits } from "./schema.ts";

/** Where a score falls. */
export const BANDS = ["same", "ask", "different"] as const;
export type Band = (typeof BANDS)[number];

/** The limits of a match as they are used: those set by hand, and for the others what was estimated. `same` is null where nothing is joined by itself. */
export interface LimitsInUse {
  readonly same: number | null;
  readonly ask: number;
  readonly lead?: number | undefined;
}

/** Where a tenth of a score is more than a step of limits, and where a hundredth is. */
const FINER = { from: 95, finest: 99.5 };

/** A limit as it is shown, never below what it was: near 100 with more figures, as there the bits of evidence lie close together. */
function rounded(bits: number): number {
  const score = scoreOf(bits);
  if (bits >= MOST_BITS) return 100;
  const parts = score < FINER.from ? 10 : score < FINER.finest ? 100 : 1000;
  // What has come about by computing is not rounded up for its last figure.
  return Math.ceil(score * parts - 1e-6) / parts;
}

/** The limits of a section, those that it leaves open from what was estimated. */
export function limitsOf(limits: MatchLimits, choice: Choice): LimitsInUse {
  const same = limits.same ?? (choice.same === null ? null : rounded(choice.same));
  const ask = limits.ask ?? Math.min(rounded(choice.ask), same ?? 100);
  return { same, ask, ...(limits.lead !== undefined && { lead: limits.lead }) };
}

/** The band of a score. */
export function bandOf(score: number, { same, ask }: LimitsInUse): Band {
  return same !== null && score >= same ? "same" : score >= ask ? "ask" : "different";
}
