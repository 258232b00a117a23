/** What every part of a plan speaks of: a leaf that imports nothing. */

export const PLAN_FORMAT = "good-sieve/plan@1";

/** What happens to a record whose value fails a check. */
export const ON_FAILURE = ["hold", "note", "stop"] as const;
export type OnFailure = (typeof ON_FAILURE)[number];

/** The stages that a load takes, in the order of its course. */
export const STAGES = ["Read", "Map", "Cleanse", "Check", "Look up", "Match", "Load"] as const;
export type Stage = (typeof STAGES)[number];
