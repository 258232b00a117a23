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

/** A limit in tenths, unless all that is below 100 would be rounded away. */
function rounded(bits: number): number {
  const score = scoreOf(bits);
  const tenths = Math.round(score * 10) / 10;
  return tenths < 100 || bits >= MOST_BITS ? tenths : Math.floor(score * 1000) / 1000;
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
