import type { Compiled } from "./compiled.ts";

/** Counts over some records, by field, check and step of a plan. Two tallies of one plan can be merged. */
export interface Tally {
  read: number;
  unreadable: number;
  /** Held by a check on cells; repeats are found later. */
  held: number;
  /** By field: cells that are not empty after cleansing. */
  readonly filled: number[];
  /** By field: filled cells with a problem. */
  readonly faulty: number[];
  /** By field: cells that some step changed. */
  readonly changed: number[];
  /** By check: problems found. */
  readonly checks: number[];
  /** By step: cells that it changed. */
  readonly steps: number[];
}

export function newTally(compiled: Pick<Compiled, "fields" | "checks" | "steps">): Tally {
  const zeros = (n: number): number[] => new Array<number>(n).fill(0);
  return {
    read: 0,
    unreadable: 0,
    held: 0,
    filled: zeros(compiled.fields.length),
    faulty: zeros(compiled.fields.length),
    changed: zeros(compiled.fields.length),
    checks: zeros(compiled.checks.length),
    steps: zeros(compiled.steps.length),
  };
}

/** Adds `more` to `into`. */
export function mergeTally(into: Tally, more: Tally): void {
  into.read += more.read;
  into.unreadable += more.unreadable;
  into.held += more.held;
  for (const part of ["filled", "faulty", "changed", "checks", "steps"] as const) {
    for (let i = 0; i < into[part].length; i++) into[part][i]! += more[part][i]!;
  }
}
