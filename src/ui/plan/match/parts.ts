import type { MatchMetrics } from "@/core/match/metrics.ts";
import type { MatchSection } from "@/core/match/schema.ts";
import type { Plan } from "@/core/plan/document.ts";

/** What a load or trial has found by the section, for setting it. */
export interface MatchSeen {
  /** The load or trial that the numbers are of. */
  readonly load: number;
  readonly metrics: MatchMetrics;
  /** Of pairs that people decided, how many were the same, by score in stretches of ten. */
  readonly decided: readonly { from: number; same: number; all: number }[];
}

/** A part of the stage, which changes the section. */
export interface PartProps {
  plan: Plan;
  match: MatchSection;
  set: (match: MatchSection) => void;
}
